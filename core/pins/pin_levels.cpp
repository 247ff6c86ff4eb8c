// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/pin_levels.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

/// The level with which an open driver lets go; it is that of its enable.
bool letsGoAt(const BoundaryPort& port, bool level) {
  return port.isOpen() && port.enable->off == level;
}

/// Throws for a port that cannot get this.
void requireDrivable(const BoundaryPort& port, Level level) {
  if (!port.output)
    throw Error(ErrorKind::Usage, fmt::format("{} is an input only and cannot be driven", port.name),
                "Choose a port that has an output.");
  if (!level && !port.enable)
    throw Error(ErrorKind::Usage, fmt::format("{} cannot be let go: nothing switches its driver off", port.name),
                "Drive it with 0 or 1.");
  if (level && letsGoAt(port, *level) && port.enable->result == "Z")
    throw Error(ErrorKind::Usage,
                fmt::format("{} is an open driver, and {} would let it go", port.name, *level ? 1 : 0),
                "Let it go instead: z.");
}

}  // namespace

std::vector<PortSample> samplesOf(const BoundaryPorts& ports, const BitVector& captured) {
  std::vector<PortSample> all;
  all.reserve(ports.ports.size());
  for (const BoundaryPort& port : ports.ports) {
    PortSample sample;
    if (port.output) {
      sample.drives = true;
      if (port.enable) sample.drives = captured[port.enable->cell] != port.enable->off;
      // A cell for both has the pin's level while nothing is driven.
      if (!port.sharesInput || *sample.drives) sample.out = captured[*port.output];
    }
    if (port.input) sample.in = captured[*port.input];
    all.push_back(sample);
  }
  return all;
}

DrivePlan planDrives(const BoundaryPorts& ports, const Drives& wanted, const BitVector& sampled, Others others) {
  DrivePlan plan;
  plan.cells = sampled;
  for (std::uint32_t cell = 0; cell < ports.length && others != Others::AsNow; ++cell) {
    if (ports.safe[cell] != 'X') plan.cells.set(cell, ports.safe[cell] == '1');
  }
  // First everything lets go that can, and the rest keeps what it drives.
  for (const BoundaryPort& port : ports.ports) {
    if (others != Others::LetGo) break;
    if (port.enable) {
      plan.cells.set(port.enable->cell, port.enable->off);
    } else if (port.output) {
      plan.cells.set(*port.output, sampled[*port.output]);
    }
  }
  std::map<std::uint32_t, std::pair<bool, std::string>> enables;  // cell: level, and for which port
  for (const auto& [index, level] : wanted) {
    const BoundaryPort& port = ports.ports.at(index);
    requireDrivable(port, level);
    if (port.isOpen()) {
      plan.cells.set(*port.output, level.value_or(port.enable->off));
      continue;
    }
    if (level) plan.cells.set(*port.output, *level);
    if (!port.enable) continue;
    const bool on = level ? !port.enable->off : port.enable->off;
    const auto [known, fresh] = enables.emplace(port.enable->cell, std::pair{on, port.name});
    if (!fresh && known->second.first != on)
      throw Error(ErrorKind::Usage,
                  fmt::format("{} and {} share an enable, and only one of them is to be driven", known->second.second,
                              port.name),
                  "Drive both, or choose other ports.");
    plan.cells.set(port.enable->cell, on);
  }
  for (std::size_t i = 0; i < ports.ports.size(); ++i) {
    const BoundaryPort& port = ports.ports[i];
    if (wanted.contains(i) || !port.output) continue;
    if (port.isOpen()) {
      const bool level = plan.cells[*port.output];
      if (level != port.enable->off) plan.alongside[i] = level;
      continue;
    }
    if (!port.enable) {
      plan.alongside[i] = plan.cells[*port.output];
    } else if (plan.cells[port.enable->cell] != port.enable->off) {
      // It is driven along, with what the device itself has there.
      if (ports.safe[*port.output] == 'X' || others == Others::AsNow)
        plan.cells.set(*port.output, sampled[*port.output]);
      plan.alongside[i] = plan.cells[*port.output];
    }
  }
  return plan;
}

}  // namespace imprimo::pins
