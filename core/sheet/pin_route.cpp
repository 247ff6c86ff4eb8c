// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/pin_route.h"

namespace imprimo::sheet {

RoutePtr readPinRoute(const RouteText& text) {
  auto route = std::make_shared<PinRoute>();
  route->position = text.position(text.node["device"]);
  for (const char* wire : {"cs", "clk", "mosi", "miso"}) text.node[wire].string();
  text.known({"via", "device", "cs", "clk", "mosi", "miso", "wp", "hold"});
  return route;
}

}  // namespace imprimo::sheet
