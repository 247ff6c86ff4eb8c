// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/flash/nor_commands.h"

namespace imprimo::flash {

/// Who reads a part's SFDP space (command 5A) for the parser.
struct SfdpAccess {
  /// `count` bytes from `address`.
  std::function<Bytes(std::uint32_t address, std::size_t count)> read;
  /// One byte behind a command that the sector map names: so many address bytes (0, 3 or 4), then so many clocks.
  std::function<std::uint8_t(std::uint8_t command, unsigned addressBytes, std::uint32_t address, unsigned dummyClocks)>
      detect;
};

/// One table of the space as it stands there. JESD216F 6.3.
struct SfdpTable {
  std::uint16_t id = 0;  ///< 0xFF00 basic, 0xFF81 sector map, 0xFF84 4-byte commands
  unsigned major = 0, minor = 0;
  std::uint32_t pointer = 0;
  std::vector<std::uint32_t> dwords;
  friend bool operator==(const SfdpTable&, const SfdpTable&) = default;
};

/// What else the basic table says of a part, as far as we use or show it.
struct FlashFacts {
  struct Suspend {
    std::uint8_t programSuspend = 0, programResume = 0, eraseSuspend = 0, eraseResume = 0;
    double programLatency = 0, eraseLatency = 0;  ///< seconds, at most
    friend bool operator==(const Suspend&, const Suspend&) = default;
  };
  struct DeepPowerDown {
    std::uint8_t enter = 0xB9, leave = 0xAB;
    double wake = 50e-6;  ///< seconds until the part listens again
    friend bool operator==(const DeepPowerDown&, const DeepPowerDown&) = default;
  };
  std::optional<Suspend> suspend;
  std::optional<DeepPowerDown> deepPowerDown;
  /// DWORD 15, bits 22 to 20: where the quad enable bit is and how it is written; nothing when not told.
  std::optional<unsigned> quadEnable;
  unsigned softReset = 0;  ///< DWORD 16, bits 13 to 8
  double chipErase = 0;    ///< seconds, typical; 0 when not told
  /// The status register's enable command where its bits are volatile: 06 or 50; 0 when not told.
  std::uint8_t volatileEnable = 0;
  bool softResetBy66And99() const { return (softReset & 0x10) != 0; }
  bool softResetByF0() const { return (softReset & 0x08) != 0; }
  friend bool operator==(const FlashFacts&, const FlashFacts&) = default;
};

/// A part's own description. JESD216F.
struct Sfdp {
  unsigned major = 0, minor = 0;
  std::vector<SfdpTable> tables;  ///< in the order of their headers
  memory::Geometry geometry;
  NorCommands commands;
  FlashFacts facts;
};

/// Reads and checks the space. Nothing when the part has no SFDP signature. Throws UnknownFlash when a table points
/// outside, is too short or contradicts itself.
std::optional<Sfdp> readSfdp(const SfdpAccess& access);

/// One field of a table, in words.
struct SfdpField {
  unsigned dword = 0;  ///< counted from 1, as in the standard
  int high = 0, low = 0;
  std::uint32_t value = 0;
  std::string name, meaning;
};
std::string tableName(std::uint16_t id);
/// The fields of a table that is in the standard; empty for makers' own tables.
std::vector<SfdpField> fieldsOf(const SfdpTable& table);

}  // namespace imprimo::flash
