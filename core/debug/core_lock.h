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

/// One access to a chip, or something waited for: of unlocking, of locking, of writing a configuration word.
struct ChipStep {
  enum class Kind : std::uint8_t { Write, Wait, Reset, PowerCycle };
  Kind kind = Kind::Write;
  DebugWord word{};           ///< Write, Wait
  double seconds = 10;        ///< Wait, PowerCycle: at most
  std::string title() const;  ///< "Write 0x00000001 to register 0x04 of access port 1"
};

/// How a chip shuts its memory, and how it is opened (docs/formats/core-card.md).
struct CoreLock {
  std::vector<DebugWord> locked;  ///< it is where one of them holds
  bool silent = false;            ///< the debug port then answers only while the board's reset is held
  std::string destroys{};         ///< what unlocking does, for people: "the whole flash and the RAM"
  std::vector<ChipStep> unlock{};
  std::string closes{};  ///< what cannot be read any more once it is locked: "the flash and the RAM"
  std::vector<ChipStep> lock{};
};

/// A number of 32 bits. Throws BadFile.
std::uint32_t word32(const JsonNode& node);
/// Of a card. Throw BadFile with file and line.
std::vector<DebugWord> readLockConditions(const JsonNode& list);
void readUnlock(const JsonNode& node, CoreLock& lock);
void readLock(const JsonNode& node, CoreLock& lock);
ChipStep readChipStep(const JsonNode& node);
std::vector<ChipStep> readChipSteps(const JsonNode& list);
/// "ap" and "register", or "at", an address of the bus that is a multiple of `bytes`.
void readPlace(const JsonNode& node, DebugWord& word, std::uint32_t bytes = 4);

}  // namespace imprimo::debug
