// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/memory_adding.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/json.h"

namespace imprimo::sheet {
namespace {

using Json = nlohmann::ordered_json;

constexpr const char* kSerialFlash = "spi-nor";

Json routeJson(const PinRoute& route, const std::string& device) {
  Json json{{"via", PinRoute::kVia}, {"device", device},   {"cs", route.cs},
            {"clk", route.clk},      {"mosi", route.mosi}, {"miso", route.miso}};
  if (!route.wp.empty()) json["wp"] = route.wp;
  if (!route.hold.empty()) json["hold"] = route.hold;
  for (const auto& [port, level] : route.held) json["hold_pins"][port] = level ? 1 : 0;
  return json;
}

}  // namespace

Sheet withPinRoute(const Sheet& sheet, const std::string& memory, const PinRoute& route) {
  const auto entry =
      std::find_if(sheet.memories.begin(), sheet.memories.end(), [&](const auto& m) { return m.name == memory; });
  if (entry != sheet.memories.end() && entry->type != kSerialFlash)
    throw Error(ErrorKind::Usage, fmt::format("{} is a {} and has no such wires", memory, entry->type),
                "Choose a serial flash, or a name that the sheet does not have.");
  Json root = Json::parse(sheetText(sheet));
  const Json wires = routeJson(route, sheet.chain.at(route.position - 1).name);
  if (entry == sheet.memories.end()) {
    root["memories"].push_back({{"name", memory}, {"type", kSerialFlash}, {"route", wires}});
  } else {
    for (Json& each : root["memories"]) {
      if (each["name"] == memory) each["route"] = wires;
    }
  }
  return parseSheet(root.dump(2) + "\n", sheet.path);
}

}  // namespace imprimo::sheet
