// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/driven_cells.h"

#include <algorithm>
#include <cmath>

namespace imprimo::pins {

DrivenCells::DrivenCells(const BoundaryPorts& ports, const DrivePlan& plan, const Clocks& clocks) : cells_(plan.cells) {
  for (const auto& [port, hertz] : clocks) clocks_.push_back({*ports.ports.at(port).output, hertz, 0});
}

std::vector<BitVector> DrivenCells::next(std::size_t scans, double scanSeconds) {
  constexpr double kHalf = 0.5;
  std::vector<BitVector> all;
  all.reserve(scans);
  for (std::size_t i = 0; i < scans; ++i) {
    for (Clock& clock : clocks_) {
      clock.phase += std::min(clock.hertz * scanSeconds, kHalf);
      clock.phase -= std::floor(clock.phase);
      cells_.set(clock.cell, clock.phase >= kHalf);
    }
    all.push_back(cells_);
  }
  return all;
}

}  // namespace imprimo::pins
