// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/memory/geometry.h"

namespace imprimo::flash {

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

constexpr std::uint64_t kThreeByteReach = 1ull << 24;

/// How the part says that it is ready: (byte behind `command` & mask) == value. JESD216F, DWORD 14, bits 7 to 2.
struct ReadyCheck {
  std::uint8_t command = 0x05, mask = 0x01, value = 0x00;
  friend bool operator==(const ReadyCheck&, const ReadyCheck&) = default;
};

struct EraseCommand {
  std::uint8_t opcode = 0;
  std::uint8_t opcode4 = 0;  ///< the one that always takes four address bytes; 0 without one
  friend bool operator==(const EraseCommand&, const EraseCommand&) = default;
};

/// A command that reads or programs over several lines; the command itself always goes over one.
struct WideCommand {
  std::uint8_t opcode = 0;
  unsigned addressLines = 1, dataLines = 2;
  unsigned modeClocks = 0, dummyClocks = 0;  ///< of a read: clocks with ones on the address lines, then with nothing
  bool fourByte = false;                     ///< always takes four address bytes
  friend bool operator==(const WideCommand&, const WideCommand&) = default;
};

/// The bit that makes two more pins data lines.
struct QuadEnable {
  std::string inRegister{};  ///< by its name; empty: four lines need no bit
  std::uint8_t read = 0x35;  ///< the command that reads it
  std::uint8_t mask = 0;
  std::uint8_t volatileEnable = 0;  ///< goes before a write that lasts as long as the supply; 0: there is none
  friend bool operator==(const QuadEnable&, const QuadEnable&) = default;
};

/// How a serial flash is spoken to where makers differ; its geometry says what the commands do.
struct NorCommands {
  std::vector<EraseCommand> erase;  ///< of each of Geometry::erase
  FourByteEntry fourByte = FourByteEntry::NotNeeded;
  ReadyCheck ready{};
  std::vector<WideCommand> wideReads{}, widePrograms{};
  std::optional<QuadEnable> quad{};  ///< nothing: it is not known how four lines are switched on
  friend bool operator==(const NorCommands&, const NorCommands&) = default;
};

/// What a memory answered to 0x9F, and nothing more.
struct FlashId {
  unsigned bank = 1;  ///< 1 plus the number of 0x7F bytes before the maker byte (JEP106)
  std::uint8_t maker = 0;
  std::uint16_t device = 0;  ///< the two bytes behind it, the first one high
  std::uint32_t value() const { return static_cast<std::uint32_t>(maker) << 16 | device; }
  std::string text() const;  ///< "0x7e4017"
  friend bool operator==(const FlashId&, const FlashId&) = default;
};

/// How much of a part the way to its upper addresses lets reach.
void setReach(memory::Geometry& geometry, FourByteEntry way);

/// memory::checkGeometry, which sorts, with the commands brought along and the reach set. Throws UnknownFlash.
void checkDescription(memory::Geometry& geometry, NorCommands& commands, const std::string& source);

}  // namespace imprimo::flash
