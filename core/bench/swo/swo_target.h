// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/cores/cores.h"
#include "core/probe/swo_port.h"

namespace imprimo::bench {

/// A core's instrumentation trace and the unit that brings it to the pin (Arm DDI 0403, C1.7 and C1.10), as a debugger
/// sets them up while the core runs. Each throws as the bus does.
class SwoTarget {
 public:
  /// That a debugger may take for itself.
  static constexpr unsigned kOwnPort = 31;

  explicit SwoTarget(BenchCore& core) : core_(core) {}

  /// The steps of the card, then trace switched on with no port open. Throws Refused where there is no ITM.
  void open(probe::SwoCoding coding);
  /// Bits on the pin take so many clocks of trace, 1 to 8192.
  void setDivider(std::uint32_t clocks);
  void openPorts(std::uint32_t ports);
  /// By the bus, as the core would.
  void write(unsigned port, std::uint32_t word);
  /// Whether it is still as it was set up: not so after a loss of power, or where the firmware did it its own way.
  bool holds();
  /// Switches off what open() has switched on.
  void close();

 private:
  BenchCore& core_;
  std::uint32_t protocol_ = 0, divider_ = 0, ports_ = 0;
  bool switchedOn_ = false;  // trace was off
};

}  // namespace imprimo::bench
