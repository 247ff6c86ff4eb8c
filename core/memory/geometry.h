// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstdint>
#include <string>
#include <vector>

#include "core/base/address_range.h"

namespace imprimo::memory {

/// One erase command of a part.
struct EraseType {
  std::uint64_t size = 0;  ///< bytes; blocks begin at multiples of it
  std::uint8_t opcode = 0;
  double typical = 0;  ///< seconds
  double longest = 0;
  std::uint8_t opcode4 = 0;  ///< the command that always takes four address bytes; 0 without one
  friend bool operator==(const EraseType&, const EraseType&) = default;
};

/// Which erase commands work from `begin` to the next region's begin. A command whose block reaches past the region
/// erases only what lies in it (JESD216F 6.5, sector map).
struct EraseRegion {
  std::uint64_t begin = 0;
  unsigned types = 0;  ///< bit i: Geometry::erase[i]
  friend bool operator==(const EraseRegion&, const EraseRegion&) = default;
};

/// How a part that can take 4-byte addresses is brought to it (JESD216F, basic table DWORD 16, bits 31 to 24).
enum class FourByteEntry {
  NotNeeded,
  Always,
  Command,                 ///< B7, and E9 to leave
  WriteEnableThenCommand,  ///< 06, then B7
  OwnCommands,             ///< commands of their own take four bytes; no mode is entered
  SegmentRegister,         ///< C5 sets the upper byte, addresses stay at three
  BankRegister,            ///< 17 with bit 7 enters the mode
  Unknown,                 ///< only the lower 16 MiB can be reached
};

/// How the part says that it is ready: (byte behind `command` & mask) == value. JESD216F, DWORD 14, bits 7 to 2.
struct ReadyCheck {
  std::uint8_t command = 0x05, mask = 0x01, value = 0x00;
  friend bool operator==(const ReadyCheck&, const ReadyCheck&) = default;
};

constexpr std::uint64_t kThreeByteReach = 1ull << 24;

/// What is needed to read, erase and program a part, and how long it takes.
struct Geometry {
  std::uint64_t size = 0;            ///< bytes
  std::uint32_t page = 256;          ///< most bytes in one program command; pages begin at multiples of it
  std::vector<EraseType> erase;      ///< by size, smallest first; at least one
  std::vector<EraseRegion> regions;  ///< sorted, the first at 0; empty: every erase command works everywhere
  double pageTypical = 0;            ///< seconds to program a page
  double pageLongest = 0;
  FourByteEntry fourByte = FourByteEntry::NotNeeded;
  ReadyCheck ready{};
  bool timesAssumed = false;  ///< the part does not say its times; these are cautious guesses

  /// The smallest that can be erased anywhere.
  std::uint64_t blockSize() const { return erase.front().size; }
  bool uniform() const { return regions.empty(); }
  /// Bytes from the start that can be addressed.
  std::uint64_t reach() const { return fourByte == FourByteEntry::Unknown ? std::min(size, kThreeByteReach) : size; }

  /// Blocks are the smallest that can be erased where they are; they cover the part without gaps.
  std::size_t blockCount() const;
  AddressRange block(std::size_t index) const;
  std::size_t blockIndex(std::uint64_t address) const;
  AddressRange blockAt(std::uint64_t address) const;
  /// `range` made larger until it begins and ends with a block.
  AddressRange roundedToBlocks(const AddressRange& range) const;
  /// What erase[type] erases around `address`; empty where that command does not work.
  AddressRange erasedBy(std::size_t type, std::uint64_t address) const;

  friend bool operator==(const Geometry&, const Geometry&) = default;

 private:
  struct Region {
    AddressRange range;
    std::uint64_t block;
    unsigned types;
    std::size_t blocks() const { return (range.end + block - 1) / block - range.begin / block; }
  };
  std::size_t regionCount() const { return regions.empty() ? 1 : regions.size(); }
  Region region(std::size_t index) const;
  Region regionAt(std::uint64_t address) const;
};

/// Throws UnknownFlash saying what does not fit together (no erase type, sizes that are no powers of two, …), and sorts
/// the erase types. A list of regions that says nothing is left out.
void checkGeometry(Geometry& geometry, const std::string& source);

/// What a memory answered to 0x9F, and nothing more.
struct FlashId {
  unsigned bank = 1;  ///< 1 plus the number of 0x7F bytes before the maker byte (JEP106)
  std::uint8_t maker = 0;
  std::uint16_t device = 0;  ///< the two bytes behind it, the first one high
  std::uint32_t value() const { return static_cast<std::uint32_t>(maker) << 16 | device; }
  std::string text() const;  ///< "0x7e4017"
  friend bool operator==(const FlashId&, const FlashId&) = default;
};

}  // namespace imprimo::memory
