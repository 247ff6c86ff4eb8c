// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "sim/sim_clock.h"

namespace imprimo::sim {

/// What an instruction does in a part that can be configured.
enum class Role {
  None,
  Usercode,
  // An FPGA's fabric.
  FabricClear,
  FabricLoad,
  FabricStart,
  FabricStatus,
  FabricReload,
  // Cells in the part, as IEEE 1532 has them.
  IscEnable,
  IscDisable,
  IscErase,
  IscProgram,
  IscRead,
  IscAddress,
  IscData,
  IscStatus,
  IscUsercode,
  IscDone,
  IscSecurity,
  IscNoop,
  // A debug port.
  Dpacc,
  Apacc,
  DpAbort,
};

/// What is behind a part's TAP besides BYPASS, IDCODE and plain cells: it is told of the TAP's states as its pins would
/// see them.
class DeviceLogic {
 public:
  virtual ~DeviceLogic() = default;

  /// Power comes: the part does what it does then.
  virtual void powerUp(Time now) = 0;
  /// What was under way stays half done; all that is volatile is gone.
  virtual void powerLost(Time now) = 0;
  /// The instruction passed Update-IR.
  virtual void instruction(Role role, Time now) = 0;
  /// What Capture-DR loads.
  virtual std::vector<bool> capture(Role role, Time now) = 0;
  /// A register that takes a stream instead of holding bits; then shiftIn() gets every bit.
  virtual bool streams(Role) const { return false; }
  virtual void shiftIn(Role, std::uint64_t /*bits*/, int /*count*/) {}
  /// What passed Update-DR, bit 0 next to TDO.
  virtual void update(Role role, const std::vector<bool>& bits, Time now) = 0;
  /// Run-Test/Idle is entered and left; `clocks` were given there.
  virtual void enterIdle(Role, Time /*now*/) {}
  virtual void leaveIdle(Role, Time /*now*/, std::uint64_t /*clocks*/) {}
  virtual void testLogicReset(Time) {}
  /// Bits of the part's own in what Capture-IR loads.
  virtual std::uint64_t captureInstruction(std::uint64_t fixed, Time) { return fixed; }
  /// Whether a design with the bridge runs in it.
  virtual bool hasBridge(Time) const { return true; }

  /// For tests and reports: "runs 0x52320001 from flash".
  virtual std::string state(Time now) = 0;
};

}  // namespace imprimo::sim
