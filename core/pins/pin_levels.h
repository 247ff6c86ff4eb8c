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

/// What becomes of ports that nobody asked for.
enum class Others : std::uint8_t {
  LetGo,  ///< as far as they can be; those that cannot keep what the device drives itself now
  AsNow,  ///< each drives what the device itself drives there now, or is let go where it does not
  Safe    ///< all cells at the description's safe values, where it has one; otherwise as now
};

/// What is asked for, and all else as `others` has it; what the device drives itself now is in `sampled`, from SAMPLE.
/// Throws Usage for a port that cannot be driven so, naming it.
DrivePlan planDrives(const BoundaryPorts& ports, const Drives& wanted, const BitVector& sampled,
                     Others others = Others::LetGo);

}  // namespace imprimo::pins
