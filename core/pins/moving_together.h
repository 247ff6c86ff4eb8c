// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <span>
#include <vector>

#include "core/pins/boundary_ports.h"

namespace imprimo::pins {

/// What was captured of a device, the newest last; of several devices in the same scans.
struct Captured {
  const BoundaryPorts* ports;
  const std::deque<BitVector>* captures;
};
/// A port of one of them.
struct PortOf {
  std::size_t device = 0, port = 0;
  friend bool operator==(const PortOf&, const PortOf&) = default;
};

/// Ports that had the same level in every capture and moved: they may be on one net. Each group has at least two; those
/// that moved most come first. Captures that not all devices have are left out, the oldest first.
std::vector<std::vector<PortOf>> movingTogether(std::span<const Captured> devices);

}  // namespace imprimo::pins
