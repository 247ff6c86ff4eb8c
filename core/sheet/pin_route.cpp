// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/pin_route.h"

#include <fmt/format.h>

#include <charconv>
#include <cstdlib>
#include <utility>

#include "core/sheet/pin_label.h"
#include "core/sheet/sheet.h"

namespace imprimo::sheet {

namespace {

/// Ports of a bus, the lowest line first: each a name, or some elements of a vector, "A(0..20)".
std::vector<std::string> linesOf(const JsonNode& node, const RouteText& text, const Device& device) {
  constexpr int kMost = 32;
  std::vector<std::string> lines;
  for (const JsonNode& each : node.elements()) {
    const std::string name = each.string();
    const std::size_t open = name.find('('), dots = name.find("..");
    if (open == std::string::npos || dots == std::string::npos || dots < open) {
      lines.push_back(name);
      text.warn(portTrouble(each, device));
      continue;
    }
    int first = 0, last = 0;
    const char *end = name.data() + name.size(), *from = name.data() + open + 1, *to = name.data() + dots + 2;
    const auto one = std::from_chars(from, name.data() + dots, first);
    const auto other = std::from_chars(to, end, last);
    if (one.ec != std::errc() || other.ec != std::errc() || other.ptr + 1 != end || *other.ptr != ')' ||
        std::abs(static_cast<long>(last) - first) >= kMost)
      each.fail("should be a port, or elements of a vector like \"A(0..20)\"");
    for (int i = first;; i += first <= last ? 1 : -1) {
      lines.push_back(fmt::format("{}({})", name.substr(0, open), i));
      if (i == last) break;
    }
  }
  if (lines.empty() || lines.size() > kMost) node.fail("should have 1 to 32 lines");
  return lines;
}

void serialWires(const RouteText& text, PinRoute& route) {
  const JsonNode& node = text.node;
  for (const auto& [key, to] :
       {std::pair{"cs", &route.cs}, {"clk", &route.clk}, {"mosi", &route.mosi}, {"miso", &route.miso}})
    *to = node[key].string();
  for (const auto& [key, to] : {std::pair{"wp", &route.wp}, {"hold", &route.hold}}) {
    if (node.has(key)) *to = node[key].string();
  }
}

void busWires(const RouteText& text, const Device& device, PinRoute& route) {
  const JsonNode& node = text.node;
  route.address = linesOf(node["address"], text, device);
  route.data = linesOf(node["data"], text, device);
  constexpr std::size_t kByte = 8, kWord = 16;
  if (route.data.size() != kByte && route.data.size() != kWord) node["data"].fail("should have 8 or 16 lines");
  for (const auto& [key, to] : {std::pair{"ce", &route.ce}, {"oe", &route.oe}, {"we", &route.we}})
    *to = node[key].string();
}

}  // namespace

RoutePtr readPinRoute(const RouteText& text) {
  auto route = std::make_shared<PinRoute>();
  const JsonNode& node = text.node;
  text.known(
      {"via", "device", "cs", "clk", "mosi", "miso", "wp", "hold", "hold_pins", "address", "data", "ce", "oe", "we"});
  route->position = text.position(node["device"]);
  const Device& device = text.chain[route->position - 1];
  if (node.has("address")) {
    busWires(text, device, *route);
  } else {
    serialWires(text, *route);
  }
  if (node.has("hold_pins")) {
    const JsonNode held = node["hold_pins"].object();
    for (const std::string& port : held.keys()) {
      if (held[port].number() > 1) held[port].fail("should be 0 or 1");
      route->held[port] = held[port].number() != 0;
    }
  }
  for (const char* key : {"cs", "clk", "mosi", "miso", "wp", "hold", "ce", "oe", "we"}) {
    if (node.has(key)) text.warn(portTrouble(node[key], device));
  }
  return route;
}

}  // namespace imprimo::sheet
