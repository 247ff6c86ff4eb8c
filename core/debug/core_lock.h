// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace imprimo {
class JsonNode;
}

namespace imprimo::debug {

/// A register of an access port, or a word of the bus, under a mask.
struct DebugWord {
  bool onBus = false;
  std::uint32_t accessPort = 0;  ///< its number, or base address
  std::uint32_t at = 0;          ///< the register's offset, or the word's address
  std::uint32_t mask = 0xFFFFFFFF, value = 0;
  std::string place() const;  ///< "register 0x08 of access port 1", "the word at 0x40030000"
};

/// One step of unlocking.
struct UnlockStep {
  enum class Kind : std::uint8_t { Write, Wait, Reset, PowerCycle };
  Kind kind = Kind::Write;
  DebugWord word{};           ///< Write, Wait
  double seconds = 10;        ///< Wait, PowerCycle: at most
  std::string title() const;  ///< "Write 0x00000001 to register 0x04 of access port 1"
};

/// How a chip shuts its memory, and how it is opened (docs/formats/core-card.md).
struct CoreLock {
  std::vector<DebugWord> locked;  ///< it is where one of them holds
  std::string destroys;           ///< what unlocking does, for people: "the whole flash and the RAM"
  std::vector<UnlockStep> unlock;
};

/// A number of 32 bits. Throws BadFile.
std::uint32_t word32(const JsonNode& node);
/// Of a card. Throws BadFile with file and line.
std::vector<DebugWord> readLockConditions(const JsonNode& list);
void readUnlock(const JsonNode& node, CoreLock& lock);

}  // namespace imprimo::debug
