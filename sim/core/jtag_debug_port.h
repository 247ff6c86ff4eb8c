// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/core/debug_port.h"
#include "sim/device_logic.h"

namespace imprimo::sim {

/// The target's end of a JTAG debug port (IHI 0031, B3): DPACC and APACC scans of 35 bits, whose answer is to the
/// access before; one that comes while the bus is still at work is answered WAIT and left out.
class JtagDebugPort : public DeviceLogic {
 public:
  explicit JtagDebugPort(DebugPort& port) : port_(port) {}

  void powerUp(Time) override {}
  void powerLost(Time now) override;
  void instruction(Role, Time) override {}
  std::vector<bool> capture(Role role, Time now) override;
  void update(Role role, const std::vector<bool>& bits, Time now) override;
  std::string state(Time) override { return "debug port"; }

 private:
  void accessPort(bool read, unsigned address, std::uint32_t data, Time now);

  DebugPort& port_;
  bool waiting_ = false;  // what was captured last said WAIT
  bool slow_ = false;     // the access before takes its time
  std::uint32_t result_ = 0;
};

}  // namespace imprimo::sim
