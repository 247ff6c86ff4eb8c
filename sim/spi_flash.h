// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "sim/sim_clock.h"
#include "sim/sparse_memory.h"
#include "sim/violations.h"

namespace imprimo::sim {

struct WideOperation;

/// How long an operation takes, in seconds: what its data sheet calls typical and longest.
struct BusyTime {
  double typical = 0;
  double longest = 0;
};

/// A fault built into a flash.
struct FlashFault {
  enum class Kind {
    StuckErased,  ///< erasing this block does nothing
    StuckLow,     ///< the byte's `mask` bits stay 0 behind an erase
    StuckHigh,    ///< the byte's `mask` bits stay 1 behind a program
    SlowPage,     ///< every `every`th page program takes the longest time
    Jitter,       ///< busy times vary by up to `mask` percent
    SilentLock,   ///< neither erase nor program does anything from `at` to `to`
    NeverReady,   ///< behind the first erase at this block the part stays busy
  };
  Kind kind = Kind::StuckErased;
  std::uint64_t at = 0;
  std::uint64_t to = 0;
  unsigned mask = 0xFF;
  unsigned every = 0;
};

/// The figures of a serial NOR flash's data sheet.
struct FlashModel {
  /// Full: JESD216B with 16 DWORDs; Newest: JESD216F with 23, and the tables for sectors and 4-byte commands.
  enum class Sfdp { None, FirstEdition, Full, Newest };
  /// How a part over 16 MiB takes higher addresses; JESD216F, DWORD 16, bits 31 to 24.
  enum class FourByte { Command, EnableThenCommand, OwnCommands, SegmentRegister, BankRegister, Always };
  /// Which erase commands work from `begin` on: 1 is 4K, 2 is 32K, 4 is 64K.
  struct Region {
    std::uint64_t begin = 0;
    unsigned erases = 0;
  };
  std::string name = "flash";
  unsigned bank = 1;
  std::uint8_t maker = 0x7E;
  std::uint16_t device = 0x4017;
  std::uint64_t size = 8u << 20;
  std::uint32_t page = 256;
  Sfdp sfdp = Sfdp::Full;
  bool has32K = true;
  BusyTime pageProgram{0.0004, 0.003}, erase4K{0.045, 0.4}, erase32K{0.12, 1.6}, erase64K{0.15, 2.0},
      eraseChip{20, 100};
  double pace = 1.0;  ///< real times are the typical ones times this
  FourByte fourByte = FourByte::Command;
  bool oneMap = false;          ///< its sector map has no command that asks which configuration it is in
  bool tellsFourByte = true;    ///< in its parameter table
  std::vector<Region> regions;  ///< empty: every erase command works everywhere
  bool twoRegisters = false;    ///< a second status register (35), written by 01 with two bytes
  bool protectPinLow = false;   ///< then bit 7 of the status register locks it
  bool asleep = false;          ///< in deep power-down when power comes
  unsigned lines = 1;           ///< 2 or 4: it has commands over so many
  Bytes uniqueId;               ///< behind 4B and four bytes; empty without one
  std::vector<FlashFault> faults;
};

/// A strict model of a serial NOR flash, written from the common command set: it obeys as a part does, and notes what
/// its data sheet forbids. Beside the wires it has what tests set and look at; hence its many functions.
class SpiFlash {
 public:
  SpiFlash(FlashModel model, Violations& violations);

  const FlashModel& model() const { return model_; }
  SparseMemory& cells() { return cells_; }

  // The wires, a byte at a time: output() is what MISO shows during the next eight clocks, input() what MOSI had.
  void select(Time now);
  std::uint8_t output(Time now);
  void input(std::uint8_t mosi);
  /// `strayBits`: clocks since the last whole byte. A command that is cut off does nothing.
  void deselect(Time now, int strayBits);
  /// How the next byte goes, and what goes before it. Nothing is taken or given during `idle` clocks.
  struct Phase {
    unsigned lines = 1;
    bool answers = false;
    unsigned idle = 0;
  };
  Phase phase() const;
  /// Whether the pins of wp and hold are data lines.
  bool fourLines() const { return model_.lines >= 4 && (!model_.twoRegisters || (status2_ & 0x02) != 0); }
  /// The level of the pin that protects the status register.
  void setProtectPin(bool high) { model_.protectPinLow = !high; }

  /// "erase 4K 0x003000\nprogram 256 0x003000\n", in order.
  std::string journal() const;
  /// How many times each command was given.
  const std::map<std::uint8_t, std::uint64_t>& commands() const { return commands_; }
  void clearJournal();
  std::uint8_t status(Time now);
  void setStatus(std::uint8_t value) { status_ = value & 0xFC; }
  /// How it takes addresses now: four bytes of them, and what stands in its upper address register.
  struct AddressMode {
    bool fourBytes = false;
    std::uint8_t upper = 0;
    friend bool operator==(const AddressMode&, const AddressMode&) = default;
  };
  AddressMode addressMode() const;
  /// As somebody's last program left it; of what this part does not have nothing is set.
  void setAddressMode(bool fourBytes, std::uint8_t upper);
  bool isAsleep() const { return asleep_; }
  /// The part of another board.
  void setUniqueId(Bytes id) { model_.uniqueId = std::move(id); }
  std::uint8_t secondStatus() const { return status2_; }
  void setSecondStatus(std::uint8_t value) { status2_ = value; }
  std::uint64_t commandCount() const { return commandCount_; }
  std::uint64_t bytesWritten() const { return dataBytes_; }
  std::uint64_t bytesRead() const { return answerBytes_; }
  /// How long it was busy in all, with erasing and programming.
  double busySeconds() const { return busySeconds_; }

  // What breaks once, counted from 1 since power-up.
  void ignoreCommand(std::uint64_t n) { ignoreAt_ = n; }
  void corruptWritten(std::uint64_t n, std::uint8_t mask) { corruptIn_ = {n, mask}; }
  void corruptRead(std::uint64_t n, std::uint8_t mask) { corruptOut_ = {n, mask}; }

  /// What was under way stays half done; all that is volatile is forgotten.
  void powerLost(Time now);

 private:
  struct Entry {
    const char* what;
    std::uint64_t size;
    std::uint64_t address;
  };

  bool large() const { return model_.size > 1u << 24; }
  void begin(std::uint8_t command);
  void execute(Time now);
  bool addressing(std::uint8_t command);
  bool changeCells(std::uint8_t command, Time now);
  void programPage(Time now);
  void eraseBlock(Time now, std::uint64_t size, const BusyTime& time);
  void writeStatus(Time now);
  /// What an erase command for blocks of `size` does at this address; nothing where a region does not know it.
  std::optional<std::pair<std::uint64_t, std::uint64_t>> erasedRange(std::uint64_t address, std::uint64_t size) const;
  void remember(std::uint64_t begin, std::uint64_t end);
  std::uint8_t answer(Time now);
  std::uint8_t nextCell();
  /// The command that came, where it is one over several lines that this part knows now.
  const WideOperation* wideOperation() const;
  std::size_t headerBytes() const;
  bool changeAllowed(const char* what, std::uint64_t begin, std::uint64_t end);
  bool silentlyLocked(std::uint64_t begin, std::uint64_t end) const;
  std::uint64_t protectedFrom() const;
  void makeBusy(Time now, double seconds);
  double varied(const BusyTime& time);
  std::uint64_t address() const;
  std::size_t addressBytes() const;
  const FlashFault* fault(FlashFault::Kind kind) const;
  void violate(const std::string& what);

  FlashModel model_;
  Violations& violations_;
  SparseMemory cells_;
  Bytes sfdp_;
  std::vector<Entry> journal_;
  std::map<std::uint8_t, std::uint64_t> commands_;

  bool selected_ = false;
  bool ignored_ = false;
  Time selectedAt_ = 0;
  Bytes received_;            // command, address and, for short commands, data
  std::uint64_t dataIn_ = 0;  // data bytes of a page program, also those that wrapped
  std::array<std::uint8_t, 65536> pageBuffer_{};
  std::uint64_t readAt_ = 0;
  std::uint64_t readCount_ = 0;

  Time busyUntil_ = 0;
  bool writeEnabled_ = false;
  std::uint8_t status_ = 0;
  bool fourByteMode_ = false;
  bool resetArmed_ = false;
  bool asleep_ = false;
  Time wakesAt_ = 0;
  std::uint8_t status2_ = 0;
  bool volatileEnabled_ = false;
  std::optional<std::pair<std::uint8_t, std::uint8_t>> lasting_;  // what both registers hold again without supply
  std::uint8_t segment_ = 0, bank_ = 0;                           // the upper address byte, in the ways that have one

  struct Corruption {
    std::uint64_t at = 0;
    std::uint8_t mask = 0;
  };
  std::uint64_t commandCount_ = 0, dataBytes_ = 0, answerBytes_ = 0, ignoreAt_ = 0;
  Corruption corruptIn_, corruptOut_;
  double busySeconds_ = 0;
  Bytes before_;  // of what is under way
  std::uint64_t beforeAt_ = 0;
  std::uint64_t pagesProgrammed_ = 0;
  std::uint32_t random_ = 1;
};

}  // namespace imprimo::sim
