// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <vector>

#include "core/base/bit_vector.h"
#include "core/pins/boundary_ports.h"

namespace imprimo::pins {

/// What one capture says of a port.
struct PortSample {
  Level in;      ///< at the pin; nothing where no cell takes it
  Level out;     ///< what the device's own logic would drive; nothing where that cannot be seen
  Level drives;  ///< whether it does; nothing where there is no output
};

/// `captured`: the boundary register, cell 0 first. One entry for each port.
std::vector<PortSample> samplesOf(const BoundaryPorts& ports, const BitVector& captured);

/// A level for ports by their index: 0, 1 or let go.
using Drives = std::map<std::size_t, Level>;

/// What EXTEST begins with.
struct DrivePlan {
  BitVector cells;  ///< for the boundary register, cell 0 first
  /// Ports that are driven without being asked for, since they have no driver that can be switched off or share the
  /// enable of one that is driven; with what they get.
  Drives alongside;
};

/// What is asked for, all else let go as far as it can be, and otherwise kept at what the device drives itself now
/// (`sampled`, from SAMPLE), or at its safe value. Throws Usage for a port that cannot be driven so, naming it.
DrivePlan planDrives(const BoundaryPorts& ports, const Drives& wanted, const BitVector& sampled);

}  // namespace imprimo::pins
