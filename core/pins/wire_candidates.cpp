// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/wire_candidates.h"

#include <algorithm>
#include <array>

#include "core/base/letter_case.h"

namespace imprimo::pins {
namespace {

/// As pins of a serial bus are called in schematics and descriptions.
bool isNamedLikeOne(const std::string& name) {
  static constexpr std::array<const char*, 10> kParts{"spi",  "flash", "mosi", "miso", "sck",
                                                      "sclk", "qspi",  "ncs",  "csn",  "cs_b"};
  const std::string low = lowered(name);
  return std::any_of(kParts.begin(), kParts.end(),
                     [&](const char* part) { return low.find(part) != std::string::npos; });
}

}  // namespace

const char* nameOf(WireRole role) {
  static constexpr std::array<const char*, 6> kNames{"cs", "clk", "mosi", "miso", "wp", "hold"};
  return kNames[static_cast<std::size_t>(role)];
}

std::string whyNotWire(const BoundaryPort& port, WireRole role) {
  if (role == WireRole::Miso) return port.input ? "" : "an output only";
  if (!port.output) return "an input only";
  return port.isOpen() ? "an open driver" : "";
}

std::vector<std::size_t> namedLikeWires(const BoundaryPorts& ports) {
  std::vector<std::size_t> named;
  for (std::size_t i = 0; i < ports.ports.size(); ++i) {
    if (isNamedLikeOne(ports.ports[i].name)) named.push_back(i);
  }
  return named;
}

std::vector<std::size_t> wireCandidates(const BoundaryPorts& ports, const std::vector<std::uint64_t>& edges,
                                        std::size_t most) {
  std::vector<std::size_t> named, still;
  for (std::size_t i = 0; i < ports.ports.size(); ++i) {
    const BoundaryPort& port = ports.ports[i];
    const bool both = port.input && port.output && !port.isOpen();
    if (isNamedLikeOne(port.name) && (port.input || !port.isOpen())) {
      named.push_back(i);
    } else if (both && (i >= edges.size() || edges[i] == 0)) {
      still.push_back(i);
    }
  }
  named.insert(named.end(), still.begin(), still.end());
  named.resize(std::min(named.size(), most));
  std::sort(named.begin(), named.end());
  return named;
}

}  // namespace imprimo::pins
