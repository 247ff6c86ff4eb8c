// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <vector>

#include "core/pins/pin_levels.h"

namespace imprimo::pins {

/// Ports by their index that are driven as a clock of so many hertz.
using Clocks = std::map<std::size_t, double>;

/// The cells of scans that follow each other, with the clocks among them where they are in their periods.
class DrivenCells {
 public:
  /// `plan` drives the clocks' ports too, low. `scanSeconds`: from one scan to the next. A clock that is faster than
  /// half of the scans is as fast as they are.
  DrivenCells(const BoundaryPorts& ports, const DrivePlan& plan, const Clocks& clocks);
  std::vector<BitVector> next(std::size_t scans, double scanSeconds);

 private:
  struct Clock {
    std::uint32_t cell;
    double hertz, phase;  // of a period, 0 to 1
  };
  BitVector cells_;
  std::vector<Clock> clocks_;
};

}  // namespace imprimo::pins
