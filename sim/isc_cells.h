// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "sim/device_logic.h"
#include "sim/violations.h"

namespace imprimo::sim {

/// A device with cells that are programmed as IEEE 1532 has it: rows behind an address, or one array.
struct IscModel {
  /// Where the bits of a row come from: a data register of their own, or the program instruction's.
  enum class Program { Latch, Row, Array };
  std::string name;  ///< the device's
  std::uint32_t idcode = 0;
  std::size_t rows = 1, width = 1, addressBits = 8;
  Program program = Program::Latch;
  bool increments = false;  ///< the address goes up behind each program and read
  bool isVolatile = false;
  bool needsErase = false;  ///< a row that is not blank cannot be programmed
  bool selfTimed = false;   ///< work goes on outside of Run-Test/Idle, and a status tells when it is done
  bool checked = false;     ///< an array begins with the IDCODE that it is for, and ends with a CRC-32
  bool blank = true;        ///< the level of an erased cell
  double enableSeconds = 0, disableSeconds = 0, eraseSeconds = 0.1, programSeconds = 0.002, readSeconds = 0;
};

/// Strict: wrong order, missing waits and work that is cut off are noted, and have the effect that they would have.
class IscCells : public DeviceLogic {
 public:
  IscCells(IscModel model, Violations& violations);

  void powerUp(Time) override {}
  void powerLost(Time now) override;
  void instruction(Role role, Time now) override;
  std::vector<bool> capture(Role role, Time now) override;
  void update(Role role, const std::vector<bool>& bits, Time now) override;
  void enterIdle(Role role, Time now) override;
  void leaveIdle(Role role, Time now, std::uint64_t clocks) override;
  void testLogicReset(Time now) override;
  std::string state(Time now) override;

  std::vector<std::vector<bool>>& rows() { return rows_; }
  bool secured() const { return secured_; }
  std::uint32_t usercode() const { return usercode_; }
  /// From now on this cell keeps its level, whatever is done to it.
  void stick(std::size_t row, std::size_t bit) { stuck_ = {row, bit}; }

  enum StatusBit { Ready, Error, Done, Secured, Accessed };

 private:
  enum class Mode { Normal, Accessed, Complete };
  struct Work {
    Role role;
    Time begin, end;
  };
  double secondsOf(Role role) const;
  void finish(bool whole);
  void settle(Time now);
  void programRow(std::size_t row, const std::vector<bool>& bits, bool whole);
  bool arrayIsGood() const;
  void violate(const std::string& what) { violations_.add(model_.name + ": " + what); }

  IscModel model_;
  Violations& violations_;
  std::vector<std::vector<bool>> rows_;
  std::optional<std::pair<std::size_t, std::size_t>> stuck_;
  std::uint32_t usercode_ = 0xFFFFFFFF, newUsercode_ = 0xFFFFFFFF;
  bool secured_ = false, done_ = false, error_ = false;
  Mode mode_ = Mode::Normal;
  Role selected_ = Role::None;
  std::optional<Work> work_;
  std::vector<bool> latch_, readout_;
  bool updated_ = false;  // the program instruction's own register got bits since the last work
  std::size_t address_ = 0;
};

}  // namespace imprimo::sim
