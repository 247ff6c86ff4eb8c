// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/bridge_route.h"

#include <fmt/format.h>

#include "core/sheet/sheet.h"

namespace imprimo::sheet {

RoutePtr readBridgeRoute(const RouteText& text) {
  const JsonNode& node = text.node;
  text.known({"via", "device", "instruction", "load"});
  auto route = std::make_shared<BridgeRoute>();
  route->position = text.position(node["device"]);
  route->instruction = node["instruction"].string();
  const Device& device = text.chain[route->position - 1];
  if (!device.description)
    node["device"].fail(fmt::format("{} has no bsdl that would name its instructions", device.name));
  const auto opcode = device.description->opcode(route->instruction);
  if (!opcode)
    node["instruction"].fail(fmt::format("{} has no instruction {}", device.description->entity, route->instruction));
  route->opcode = *opcode;
  if (node.has("load")) {
    route->load = node["load"].string();
    route->loadFrom = {node["load"].where()};
  }
  return route;
}

}  // namespace imprimo::sheet
