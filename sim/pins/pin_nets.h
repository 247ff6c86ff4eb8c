// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "sim/pins/boundary_scan.h"
#include "sim/pins/flash_pins.h"
#include "sim/pins/parallel_nor.h"

namespace imprimo::sim {

/// The copper between pins of devices: what is driven on it, what pulls it, and a flash that hangs on it.
class PinNets {
 public:
  explicit PinNets(Violations& violations) : violations_(violations) {}

  void addDevice(BoundaryScan& device);
  /// Nothing where there is no such device or pin: "sequencer", "IO(12)".
  struct Pin {
    std::size_t device, pin;
  };
  std::optional<Pin> find(const std::string& device, const std::string& pin) const;
  struct Net {
    std::string name;
    std::vector<Pin> pins;
    std::optional<bool> pull;    ///< what it is when nobody drives
    std::optional<bool> drives;  ///< somebody else on the board does, always
  };
  std::size_t addNet(Net net);
  void addFlash(SpiFlash& flash, FlashWires wires);
  /// The nets that a parallel flash's wires are on; address lines that are left out are low.
  struct BusWires {
    std::vector<std::optional<std::size_t>> address, data;
    std::optional<std::size_t> ce, oe, we;
  };
  void addFlash(ParallelNor& flash, BusWires wires);

  /// Word that something may have changed.
  void settle(Time now);
  void powerLost(Time now);

 private:
  bool levelAt(std::size_t device, std::size_t pin, Time now);
  bool level(std::size_t net, Time now);
  struct Parallel {
    ParallelNor& flash;
    BusWires wires;
  };
  ParallelNor::Levels levelsOf(const Parallel& parallel, Time now);

  Violations& violations_;
  std::vector<BoundaryScan*> devices_;
  std::vector<Net> nets_;
  std::map<std::pair<std::size_t, std::size_t>, std::size_t> netOf_;  // device and pin: the first net that has it
  std::vector<FlashPins> flashes_;
  std::vector<Parallel> parallels_;
  bool settling_ = false;
};

}  // namespace imprimo::sim
