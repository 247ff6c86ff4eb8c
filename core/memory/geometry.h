// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

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
  friend bool operator==(const EraseType&, const EraseType&) = default;
};

/// How a part that can take 4-byte addresses is brought to it (JESD216F, basic table DWORD 16, bits 31 to 24).
enum class FourByteEntry { NotNeeded, Always, Command, WriteEnableThenCommand, Unknown };

/// What is needed to read, erase and program a part, and how long it takes.
struct Geometry {
  std::uint64_t size = 0;        ///< bytes
  std::uint32_t page = 256;      ///< most bytes in one program command; pages begin at multiples of it
  std::vector<EraseType> erase;  ///< by size, smallest first; at least one
  double pageTypical = 0;        ///< seconds to program a page
  double pageLongest = 0;
  FourByteEntry fourByte = FourByteEntry::NotNeeded;
  bool timesAssumed = false;  ///< the part does not say its times; these are cautious guesses

  std::uint64_t blockSize() const { return erase.front().size; }  ///< the smallest that can be erased
  std::uint64_t blockCount() const { return size / blockSize(); }
  AddressRange blockAt(std::uint64_t address) const {
    const std::uint64_t begin = address / blockSize() * blockSize();
    return {begin, begin + blockSize()};
  }
  /// `range` made larger until it begins and ends with a block.
  AddressRange roundedToBlocks(const AddressRange& range) const;

  friend bool operator==(const Geometry&, const Geometry&) = default;
};

/// Throws UnknownFlash saying what does not fit together (no erase type, sizes that are no powers of two, …), and sorts
/// the erase types.
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
