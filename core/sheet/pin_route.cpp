// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/pin_route.h"

#include <utility>

#include "core/sheet/pin_label.h"
#include "core/sheet/sheet.h"

namespace imprimo::sheet {

RoutePtr readPinRoute(const RouteText& text) {
  auto route = std::make_shared<PinRoute>();
  const JsonNode& node = text.node;
  text.known({"via", "device", "cs", "clk", "mosi", "miso", "wp", "hold", "hold_pins"});
  route->position = text.position(node["device"]);
  for (const auto& [key, to] :
       {std::pair{"cs", &route->cs}, {"clk", &route->clk}, {"mosi", &route->mosi}, {"miso", &route->miso}})
    *to = node[key].string();
  for (const auto& [key, to] : {std::pair{"wp", &route->wp}, {"hold", &route->hold}}) {
    if (node.has(key)) *to = node[key].string();
  }
  if (node.has("hold_pins")) {
    const JsonNode held = node["hold_pins"].object();
    for (const std::string& port : held.keys()) {
      if (held[port].number() > 1) held[port].fail("should be 0 or 1");
      route->held[port] = held[port].number() != 0;
    }
  }
  const Device& device = text.chain[route->position - 1];
  for (const char* key : {"cs", "clk", "mosi", "miso", "wp", "hold"}) {
    if (node.has(key)) text.warn(portTrouble(node[key], device));
  }
  return route;
}

}  // namespace imprimo::sheet
