// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>

#include "core/image/placement.h"

namespace imprimo::sheet {

/// The way to a memory, as a sheet has it. Its kinds stand in route_kinds.cpp; how one is used is core/bench's.
class Route {
 public:
  virtual ~Route() = default;
  /// The sheet's word for the kind: "bridge".
  virtual const char* via() const = 0;
  /// For people, in a few words: "via bridge in the fabric".
  virtual std::string words() const = 0;
  virtual std::shared_ptr<Route> clone() const = 0;

  std::size_t position = 0;  ///< of the device it goes through, from TDI, starting at 1; 0: through none
  /// A file that goes into that device first, whose design stops then; relative to the sheet's folder.
  std::optional<std::string> load;
  ReferredFrom loadFrom;

 protected:
  Route() = default;
  Route(const Route&) = default;
};
using RoutePtr = std::shared_ptr<const Route>;

}  // namespace imprimo::sheet
