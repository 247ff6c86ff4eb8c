// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "sim/sim_clock.h"
#include "sim/sparse_memory.h"
#include "sim/violations.h"

namespace imprimo::sim {

/// The figures of a parallel flash's data sheet.
struct ParallelNorModel {
  struct Region {
    std::uint64_t count = 0, size = 0;
  };
  std::string name;
  std::uint64_t size = 1u << 20;
  unsigned dataBits = 16;   ///< of its bus, 8 or 16
  unsigned commandSet = 2;  ///< JEP137
  std::uint32_t buffer = 32;
  std::uint8_t maker = 0x7E;
  std::uint16_t device = 0x2249;
  std::vector<Region> regions;  ///< from address 0 on; empty: 64 KiB each
  bool topBoot = false;         ///< its table has the regions from the other end
  bool locks = false;           ///< of command set 1: all blocks are locked when power comes
  double word = 32e-6, bufferTime = 256e-6, erase = 0.5;
};

/// A strict model of a parallel NOR flash with a query table, written from JESD68.01 and the two command sets of
/// JEP137. What its data sheet forbids is noted.
class ParallelNor {
 public:
  ParallelNor(ParallelNorModel model, Violations& violations);

  const ParallelNorModel& model() const { return model_; }
  SparseMemory& cells() { return cells_; }
  std::uint64_t erases() const { return erases_; }
  std::uint64_t programs() const { return programs_; }

  struct Levels {
    std::uint32_t address = 0;
    std::uint16_t data = 0xFFFF;
    bool ce = true, oe = true, we = true;
    friend bool operator==(const Levels&, const Levels&) = default;
  };
  void see(const Levels& levels, Time now);
  /// What it drives at a data line; nothing while it is not asked.
  std::optional<bool> drives(unsigned line, Time now) const;
  void powerLost();

 private:
  enum class Mode { Array, Id, Query, Status };
  enum class Next { Command, Erase, Program, Lock, Count, Data, Go };

  bool isBusy(Time now) const { return now < busyUntil_; }
  std::uint32_t bytesPerWord() const { return model_.dataBits / 8; }
  void write(std::uint32_t address, std::uint16_t data, Time now);
  void firstSet(std::uint32_t address, std::uint16_t data, Time now);
  void secondSet(std::uint32_t address, std::uint16_t data, Time now);
  bool buffer(std::uint32_t address, std::uint16_t data, std::uint16_t go, Time now);
  std::uint16_t answer(std::uint32_t address, Time now) const;
  std::uint16_t cell(std::uint32_t address) const;
  std::uint8_t query(std::uint32_t at) const;
  void program(std::uint32_t address, std::uint16_t data);
  void eraseBlock(std::uint32_t address, Time now);
  std::size_t blockOf(std::uint32_t address, std::uint64_t* begin = nullptr, std::uint64_t* end = nullptr) const;
  void violate(const std::string& what) { violations_.add(model_.name + ": " + what); }

  ParallelNorModel model_;
  Violations& violations_;
  mutable SparseMemory cells_;
  Levels last_;
  bool known_ = false;
  std::uint32_t writeAt_ = 0;
  Mode mode_ = Mode::Array;
  Next next_ = Next::Command;
  unsigned opened_ = 0;  // accesses of command set 2 that came before a command
  bool eraseArmed_ = false;
  unsigned left_ = 0;  // words that the buffer still wants
  std::vector<std::pair<std::uint32_t, std::uint16_t>> buffered_;
  std::uint16_t status_ = 0x80, polled_ = 0;
  bool toggle_ = false;
  std::uint16_t programming_ = 0;  // the data whose bit 7 is complemented meanwhile
  Time busyUntil_ = 0;
  std::uint16_t latched_ = 0;
  bool latchedOnly_ = false;  // what OE brought stays until it falls again
  std::vector<bool> locked_;
  std::uint64_t erases_ = 0, programs_ = 0;
};

}  // namespace imprimo::sim
