// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/route_kinds.h"

#include "core/sheet/bridge_route.h"
#include "core/sheet/core_route.h"
#include "core/sheet/pin_route.h"

namespace imprimo::sheet {

std::span<const RouteKind> routeKinds() {
  static constexpr RouteKind kKinds[] = {
      {BridgeRoute::kVia, readBridgeRoute}, {PinRoute::kVia, readPinRoute}, {CoreRoute::kVia, readCoreRoute}};
  return kKinds;
}

RoutePtr readRoute(const RouteText& text) {
  const std::string via = text.node["via"].string();
  std::string names;
  for (const RouteKind& kind : routeKinds()) {
    if (via == kind.via) return kind.read(text);
    names += (names.empty() ? "\"" : " or \"") + std::string(kind.via) + "\"";
  }
  text.node["via"].fail("should be " + names);
}

}  // namespace imprimo::sheet
