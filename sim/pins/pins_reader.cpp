// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pins/pins_reader.h"

#include <fmt/format.h>

#include <map>

#include "sim/json_help.h"

namespace imprimo::sim {
namespace {

bool bit(const JsonNode& node) {
  return numberUpTo(node, 0, 1) != 0;
}

BoundaryPinModel pin(const JsonNode& node, std::size_t length) {
  node.onlyKnown({"port", "in", "out", "enable", "off", "drives", "clock"});
  BoundaryPinModel pin;
  pin.name = node["port"].string();
  const auto cell = [&](const char* key, std::optional<std::size_t>& to) {
    if (node.has(key)) to = numberUpTo(node[key], 0, length - 1);
  };
  cell("in", pin.input);
  cell("out", pin.output);
  cell("enable", pin.control);
  if (node.has("off")) pin.off = bit(node["off"]);
  if (node.has("drives")) pin.drives = bit(node["drives"]);
  if (node.has("clock")) pin.hertz = node["clock"].real();
  return pin;
}

}  // namespace

BoundaryModel readBoundary(const JsonNode& node, const std::string& device) {
  node.onlyKnown({"length", "pins"});
  BoundaryModel model;
  model.device = device;
  model.length = numberUpTo(node["length"], 1, 1u << 16);
  for (const JsonNode& each : node["pins"].elements()) model.pins.push_back(pin(each, model.length));
  return model;
}

void readNets(const JsonNode& list, Board& board) {
  std::map<std::string, FlashWires> wires;
  for (const JsonNode& node : list.elements()) {
    node.onlyKnown({"name", "pins", "pull", "drives", "flash", "wire"});
    PinNets::Net net;
    for (const JsonNode& each : node["pins"].elements()) {
      const std::string text = each.string();
      const std::size_t dot = text.find('.');
      const auto found =
          dot == std::string::npos ? std::nullopt : board.nets().find(text.substr(0, dot), text.substr(dot + 1));
      if (!found) each.fail("should be DEVICE.PORT, of a device with that port in its boundary");
      if (net.name.empty()) net.name = text;
      net.pins.push_back(*found);
    }
    if (node.has("name")) net.name = node["name"].string();
    if (node.has("pull")) net.pull = bit(node["pull"]);
    if (node.has("drives")) net.drives = bit(node["drives"]);
    const std::size_t index = board.nets().addNet(std::move(net));
    if (!node.has("flash")) continue;
    FlashWires& of = wires[node["flash"].string()];
    const std::string wire = node["wire"].string();
    std::map<std::string, std::optional<std::size_t>*> places{
        {"cs", &of.cs}, {"clk", &of.clk}, {"mosi", &of.mosi}, {"miso", &of.miso}, {"wp", &of.wp}, {"hold", &of.hold}};
    const auto place = places.find(wire);
    if (place == places.end()) node["wire"].fail("should be cs, clk, mosi, miso, wp or hold");
    *place->second = index;
  }
  for (const auto& [name, of] : wires) {
    bool there = false;
    for (const auto& flash : board.flashes()) there = there || flash->model().name == name;
    if (!there) list.fail(fmt::format("the bench has no flash {}", name));
    board.nets().addFlash(board.flash(name), of);
  }
  board.nets().settle(board.now());
}

}  // namespace imprimo::sim
