// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "sim/bridge_core.h"
#include "sim/device_logic.h"
#include "sim/pins/boundary_scan.h"
#include "sim/sim_clock.h"

namespace imprimo::sim {

/// A register of any length; bit 0 is next to TDO.
class ShiftRegister {
 public:
  void load(std::vector<bool> bits);
  void load(std::uint64_t value, std::size_t length);
  bool shift(bool in);
  std::uint64_t value() const;  ///< the low 64 bits
  std::size_t size() const { return bits_.size(); }

 private:
  std::vector<bool> bits_;
  std::size_t first_ = 0;  // where bit 0 is: the bits stand still and the ends move
};

/// What an instruction of a device selects.
struct DeviceInstruction {
  enum class Register { Bypass, Idcode, Bridge, Plain, Logic, Boundary };
  std::string name;
  std::uint64_t opcode = 0;
  Register selects = Register::Bypass;
  std::size_t length = 1;  ///< of a Plain register, which keeps what is shifted into it
  Role role = Role::None;  ///< of a Logic register
  BoundaryMode mode = BoundaryMode::None;
};

struct DeviceModel {
  std::string name;
  std::size_t irLength = 4;
  std::uint64_t irCapture = 1;
  std::optional<std::uint32_t> idcode;
  std::vector<DeviceInstruction> instructions;  ///< opcodes that are not listed select BYPASS
};

/// One device with its TAP controller, clock by clock as IEEE 1149.1 clause 6 has it.
class TapDevice {
 public:
  /// With `onlyExamine` every instruction but all ones is a violation; otherwise those that are not listed are.
  TapDevice(DeviceModel model, Violations& violations, const bool& onlyExamine);

  const DeviceModel& model() const { return model_; }
  void setBridge(std::unique_ptr<BridgeCore> bridge) { bridge_ = std::move(bridge); }
  BridgeCore* bridge() { return bridge_.get(); }
  /// What configures the device; it is there from power-up.
  void setLogic(std::unique_ptr<DeviceLogic> logic) { logic_ = std::move(logic); }
  DeviceLogic* logic() { return logic_.get(); }
  void setBoundary(std::unique_ptr<BoundaryScan> boundary) { boundary_ = std::move(boundary); }
  BoundaryScan* boundary() { return boundary_.get(); }

  /// `count` (1 to 64) clocks with one level on TMS. Bit k of `tdi` goes in at clock k, which is at `start` + k
  /// periods; bit k of the result is TDO during it. Outside the shift states TDO is not driven and read as 1.
  std::uint64_t run(bool tms, std::uint64_t tdi, int count, Time start, Time period);

  void powerLost(Time now);
  void powerUp(Time now);

  /// Clocks spent in Shift-DR.
  std::uint64_t dataClocks() const { return dataClocks_; }
  bool isReset() const { return state_ == State::Reset; }
  bool shiftingData() const { return state_ == State::ShiftDr; }
  bool bridgeSelected() const {
    return bridge_ != nullptr && selected().selects == DeviceInstruction::Register::Bridge &&
           (logic_ == nullptr || logic_->hasBridge(latest_));
  }
  /// The instructions that passed Update-IR and were not all ones, in order and without repetition.
  const std::vector<std::uint64_t>& instructionsSeen() const { return seen_; }

 private:
  enum class State {
    Reset,
    Idle,
    SelectDr,
    CaptureDr,
    ShiftDr,
    Exit1Dr,
    PauseDr,
    Exit2Dr,
    UpdateDr,
    SelectIr,
    CaptureIr,
    ShiftIr,
    Exit1Ir,
    PauseIr,
    Exit2Ir,
    UpdateIr,
  };
  static State after(State state, bool tms);

  bool clock(bool tms, bool tdi, Time now);
  bool rests() const;
  std::uint64_t shiftData(std::uint64_t tdi, int count, Time start, Time period);
  void enter(State state, Time now);
  void tellLogic(State before, State next, Time now);
  std::vector<bool> takeRegister();
  void captureData();
  void setInstruction(std::uint64_t opcode);
  const DeviceInstruction& selected() const { return *selected_; }
  std::uint64_t allOnes() const { return model_.irLength >= 64 ? ~0ull : (1ull << model_.irLength) - 1; }

  DeviceModel model_;
  Violations& violations_;
  const bool& onlyExamine_;
  DeviceInstruction bypass_;
  const DeviceInstruction* selected_;
  State state_ = State::Reset;
  ShiftRegister ir_;
  ShiftRegister dr_;
  std::map<std::uint64_t, std::vector<bool>> plain_;  // what plain registers hold, by opcode
  std::unique_ptr<BridgeCore> bridge_;
  std::unique_ptr<DeviceLogic> logic_;
  std::unique_ptr<BoundaryScan> boundary_;
  Time latest_ = 0;               // when the last clock was
  std::uint64_t idleClocks_ = 0;  // since Run-Test/Idle was entered
  std::vector<std::uint64_t> seen_;
  std::uint64_t dataClocks_ = 0;
};

}  // namespace imprimo::sim
