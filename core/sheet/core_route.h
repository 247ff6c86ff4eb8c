// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sheet/route_kinds.h"

namespace imprimo::sheet {

/// Through a core's debug port, to a region of its address space.
class CoreRoute : public Route {
 public:
  static constexpr const char* kVia = "core";
  const char* via() const override { return kVia; }
  std::string words() const override { return "via the core " + core; }
  std::shared_ptr<Route> clone() const override { return std::make_shared<CoreRoute>(*this); }

  std::string core, region;
};

RoutePtr readCoreRoute(const RouteText& text);

/// Null where the route is of another kind.
const CoreRoute* coreRoute(const Route& route);

}  // namespace imprimo::sheet
