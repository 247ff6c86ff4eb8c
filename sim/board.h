// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "sim/board_fault.h"
#include "sim/core/swd_wire.h"
#include "sim/pins/pin_nets.h"
#include "sim/sim_clock.h"
#include "sim/spi_flash.h"
#include "sim/tap_device.h"
#include "sim/violations.h"

namespace imprimo::sim {

/// The target: parts in a chain, memories behind them, a core on the two wires of SWD, and a virtual clock. What its
/// many functions do is wires and faults, one each.
class Board {
 public:
  void addFlash(FlashModel model);
  /// In order from TDI. `bridgeTo` names the flash that the part's bridge leads to; empty without a bridge.
  TapDevice& addDevice(DeviceModel model, const std::string& bridgeTo);

  /// Clocks with one level on TMS: see TapDevice::run. Time goes on by `count` periods.
  std::uint64_t clock(bool tms, std::uint64_t tdi, int count);
  /// Returns its number. `onSwd`: its debug port is on the wires of SWD; otherwise a device of the chain has it.
  std::size_t addCore(CoreModel model, const DebugPortModel& port, bool onSwd);
  /// A chip behind access port `accessPort` of the debug port of core `first`, which keeps it off until it starts it.
  std::size_t addSecond(std::size_t first, CoreModel model, unsigned accessPort);
  std::size_t coreCount() const { return cores_.size(); }
  CoreChip& chip(std::size_t i = 0) { return *cores_.at(i).chip; }
  DebugPort& debugPort(std::size_t i = 0) { return *cores_.at(i).port; }
  SwdWire& swdWire(std::size_t i = 0) { return *cores_.at(i).wire; }
  /// One clock of SWD: see SwdWire::clock. With no core there only the pull-up answers.
  bool swdClock(bool drives, bool level);
  /// Whether a target drives the wire at the next clock of SWD.
  bool swdTargetDrives() const;
  /// What the wire of SWO was since the last call: that of the first chip that has the pin, or a wire that is pulled
  /// up.
  LineLevels swoLevels();
  /// Time without clocks, because the host asked for a wait.
  void wait(Time time);
  /// Time that passes on its own: latencies.
  void advance(Time time) { now_ += time; }
  /// Cores get to where the time is, as they do when they are looked at.
  void runCores();

  void setClock(std::uint32_t hz);
  Time now() const { return now_; }
  std::uint64_t clocks() const { return clocks_; }
  /// Clocks spent in Shift-DR.
  std::uint64_t dataClocks() const { return devices_.empty() ? 0 : devices_[0]->dataClocks(); }
  std::uint64_t resets() const { return resets_; }
  void pulseReset() { ++resets_; }
  /// The wire to the target's reset, as a core sees it.
  void holdReset(bool low);

  TapDevice& device(std::size_t i) { return *devices_.at(i); }
  std::size_t deviceCount() const { return devices_.size(); }
  SpiFlash& flash(const std::string& name);
  void addParallelFlash(ParallelNorModel model);
  /// Null where there is none of that name.
  ParallelNor* parallelFlash(const std::string& name);
  const std::vector<std::unique_ptr<SpiFlash>>& flashes() const { return flashes_; }
  Violations& violations() { return violations_; }
  PinNets& nets() { return nets_; }

  void addFault(const BoardFault& fault) { faults_.push_back(fault); }
  void repair() { faults_.clear(); }
  /// From now on an instruction other than all ones is a violation, as nothing else may be loaded into parts that
  /// nobody knows.
  void onlyExamine() { onlyExamine_ = true; }
  void stickTdo(bool level) { addFault({.kind = BoardFault::Kind::StuckTdo, .level = level}); }
  bool powered() const;
  /// The supply goes and comes back between two clocks, as when another board is plugged in.
  void cyclePower();

 private:
  std::vector<std::unique_ptr<TapDevice>> devices_;
  std::vector<std::unique_ptr<SpiFlash>> flashes_;
  std::vector<std::unique_ptr<ParallelNor>> parallelFlashes_;
  Violations violations_;
  PinNets nets_{violations_};
  struct CoreSite {
    std::unique_ptr<CoreChip> chip;
    std::unique_ptr<DebugPort> port;  ///< null for one behind another's
    std::unique_ptr<SwdWire> wire;    ///< null for one in the chain
  };
  std::vector<CoreSite> cores_;
  const BoardFault* fault(BoardFault::Kind kind, std::size_t position = 0) const;
  void powerLost();
  void powerBack();
  bool checkPower();

  std::vector<BoardFault> faults_;
  NoisyWire wire_;
  bool onlyExamine_ = false;
  bool wasPowered_ = true;
  std::uint32_t hz_ = 1'000'000;
  Time now_ = 0, swoTaken_ = 0;
  Time period_ = 1'000'000;
  std::uint64_t clocks_ = 0;
  std::uint64_t resets_ = 0;
};

}  // namespace imprimo::sim
