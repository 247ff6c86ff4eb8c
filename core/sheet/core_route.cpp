// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/core_route.h"

#include <fmt/format.h>

#include "core/sheet/core_entry.h"

namespace imprimo::sheet {

RoutePtr readCoreRoute(const RouteText& text) {
  const JsonNode& node = text.node;
  text.known({"via", "core", "region"});
  auto route = std::make_shared<CoreRoute>();
  route->core = node["core"].string();
  route->region = node["region"].string();
  for (const CoreEntry& core : text.cores) {
    if (core.name == route->core) return route;
  }
  node["core"].fail(fmt::format("the sheet has no core named {}", route->core));
}

const CoreRoute* coreRoute(const Route& route) {
  return dynamic_cast<const CoreRoute*>(&route);
}

}  // namespace imprimo::sheet
