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

namespace {

/// "a12" or "d3", a wire of a bus; nothing for another one.
std::optional<std::size_t>* busWire(PinNets::BusWires& of, const std::string& wire) {
  if (wire == "ce") return &of.ce;
  if (wire == "oe") return &of.oe;
  if (wire == "we") return &of.we;
  const bool isAddress = wire.starts_with('a'), isData = wire.starts_with('d');
  constexpr std::size_t kMost = 32;
  if ((!isAddress && !isData) || wire.size() < 2 || wire.size() > 3 ||
      wire.find_first_not_of("0123456789", 1) != std::string::npos)
    return nullptr;
  const std::size_t number = std::stoul(wire.substr(1));
  if (number >= kMost) return nullptr;
  auto& lines = isAddress ? of.address : of.data;
  if (lines.size() <= number) lines.resize(number + 1);
  return &lines[number];
}

}  // namespace

ParallelNorModel readParallelFlash(const JsonNode& node) {
  node.onlyKnown({"name", "size", "data_bits", "command_set", "buffer", "maker", "device", "regions", "top_boot",
                  "locks", "times"});
  ParallelNorModel m;
  m.name = node["name"].string();
  m.size = numberUpTo(node["size"], 65536, 1u << 28);
  if ((m.size & (m.size - 1)) != 0) node["size"].fail("should be a power of two");
  if (node.has("data_bits")) m.dataBits = static_cast<unsigned>(numberUpTo(node["data_bits"], 8, 16));
  if (m.dataBits != 8 && m.dataBits != 16) node["data_bits"].fail("should be 8 or 16");
  if (node.has("command_set")) m.commandSet = static_cast<unsigned>(numberUpTo(node["command_set"], 1, 2));
  if (node.has("buffer")) m.buffer = static_cast<std::uint32_t>(numberUpTo(node["buffer"], 0, 4096));
  if ((m.buffer & (m.buffer - 1)) != 0) node["buffer"].fail("should be 0 or a power of two");
  if (node.has("maker")) m.maker = static_cast<std::uint8_t>(numberUpTo(node["maker"], 0, 0xFF));
  if (node.has("device")) m.device = static_cast<std::uint16_t>(numberUpTo(node["device"], 0, 0xFFFF));
  if (node.has("regions")) {
    std::uint64_t sum = 0;
    for (const JsonNode& each : node["regions"].elements()) {
      each.onlyKnown({"count", "size"});
      m.regions.push_back({numberUpTo(each["count"], 1, 65536), numberUpTo(each["size"], 256, 1u << 24)});
      sum += m.regions.back().count * m.regions.back().size;
    }
    if (sum != m.size) node["regions"].fail("should be as large as the flash");
  }
  if (node.has("top_boot")) m.topBoot = node["top_boot"].boolean();
  if (node.has("locks")) m.locks = node["locks"].boolean();
  if (node.has("times")) {
    const JsonNode times = node["times"];
    times.onlyKnown({"word", "buffer", "erase"});
    if (times.has("word")) m.word = times["word"].real();
    if (times.has("buffer")) m.bufferTime = times["buffer"].real();
    if (times.has("erase")) m.erase = times["erase"].real();
  }
  return m;
}

void readNets(const JsonNode& list, Board& board) {
  std::map<std::string, FlashWires> wires;
  std::map<std::string, PinNets::BusWires> buses;
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
    const std::string wire = node["wire"].string();
    if (board.parallelFlash(node["flash"].string()) != nullptr) {
      std::optional<std::size_t>* place = busWire(buses[node["flash"].string()], wire);
      if (place == nullptr) node["wire"].fail("should be ce, oe, we, a0 to a31 or d0 to d15");
      *place = index;
      continue;
    }
    FlashWires& of = wires[node["flash"].string()];
    std::map<std::string, std::optional<std::size_t>*> places{{"cs", &of.cs},     {"clk", &of.clk}, {"mosi", &of.mosi},
                                                              {"miso", &of.miso}, {"wp", &of.wp},   {"hold", &of.hold}};
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
  for (auto& [name, of] : buses) board.nets().addFlash(*board.parallelFlash(name), std::move(of));
  board.nets().settle(board.now());
}

}  // namespace imprimo::sim
