// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/route_kinds.h"

#include <fmt/format.h>

#include <numeric>

#include "core/base/error.h"
#include "core/bench/bridge_route.h"
#include "core/bench/cores/core_route.h"
#include "core/bench/pins/pin_route.h"

namespace imprimo::bench {

const RouteKind& routeKind(const sheet::MemoryEntry& entry) {
  static const RouteKind kKinds[] = {bridgeRouteKind(), coreRouteKind(), pinRouteKind()};
  std::string known;
  for (const RouteKind& kind : kKinds) {
    if (std::string_view(kind.via) == entry.route->via()) return kind;
    known += (known.empty() ? "" : ", ") + std::string(kind.via);
  }
  throw Error(ErrorKind::Usage,
              fmt::format("{} is reached via {}, which this version cannot drive", entry.name, entry.route->via()),
              fmt::format("Memories that are reached via {} work.", known));
}

namespace {

template <typename AnyRoute>
spi::SpiPort& portOf(AnyRoute& route, const std::string& memory) {
  if (spi::SpiPort* port = route.spi()) return *port;
  throw Error(ErrorKind::Usage, fmt::format("{} is a serial flash, and its route has no wires for one", memory));
}

}  // namespace

spi::SpiPort& spiOf(Route& route, const std::string& memory) {
  return portOf(route, memory);
}

spi::SpiPort& spiOf(RouteRecorder& route, const std::string& memory) {
  return portOf(route, memory);
}

spi::ParallelBus& busOf(Route& route, const std::string& memory) {
  if (spi::ParallelBus* bus = route.bus()) return *bus;
  throw Error(ErrorKind::Usage,
              fmt::format("{} is a parallel flash, and its route has no address and data lines", memory),
              "A route via pins has them: \"address\", \"data\", \"ce\", \"oe\" and \"we\".");
}

svf::Writer::Padding ChainPlace::padding() const {
  return {std::accumulate(irAfter.begin(), irAfter.end(), std::size_t{0}),
          std::accumulate(irBefore.begin(), irBefore.end(), std::size_t{0}), after(), before()};
}

}  // namespace imprimo::bench
