// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/pins/boundary_ports.h"

namespace imprimo::pins {

/// A pin of a package, at its place.
struct PackagePin {
  std::string name;                  ///< as the pin map has it: "38", "AB12"
  std::string port;                  ///< "IO(12)"
  std::optional<std::size_t> index;  ///< into BoundaryPorts::ports; nothing for supply, TAP and the like
  double x = 0, y = 0;  ///< in units of the distance between neighbours, from above, 0 at the left and at the top
};

/// A package from above, by the names of its pins: numbers go round four sides against the clock, beginning at the top
/// of the left one; letters and numbers are rows and columns of a grid; anything else is a list.
struct Package {
  enum class Shape : std::uint8_t { Perimeter, Grid, List };
  Shape shape = Shape::List;
  std::string name;  ///< of the pin map; empty where the description has none
  std::vector<PackagePin> pins;
  double width = 1, height = 1;  ///< of all places
};

Package packageOf(const bsdl::BoundaryDescription& description, const BoundaryPorts& ports);

}  // namespace imprimo::pins
