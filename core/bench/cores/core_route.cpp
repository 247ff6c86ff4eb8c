// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_route.h"

#include <fmt/format.h>

#include "core/bench/bench_state.h"
#include "core/sheet/core_route.h"

namespace imprimo::bench {
namespace {

class CoreRoute : public Route {
 public:
  explicit CoreRoute(BenchCore& core) : core_(core) {}
  BenchCore& core() { return core_; }

  void greet() override { core_.connect(); }
  /// A core that was halted all the while cannot have changed its memories.
  memory::Continuity renewMark(RouteMark& mark) override {
    const bool first = mark.left.empty();
    mark.left = {1};
    if (core_.core().haltedAllTheWhile()) return memory::Continuity::Unbroken;
    return first ? memory::Continuity::First : memory::Continuity::Broken;
  }
  void wake() override {}

 private:
  BenchCore& core_;
};

}  // namespace

RouteKind coreRouteKind() {
  return {sheet::CoreRoute::kVia,
          92,
          11.5,  // a word is 46 clocks on SWD, and a few less on JTAG
          "flash algorithm",
          {"the core stayed halted", "the core ran, was reset or lost its power"},
          [](const sheet::Route& route, BenchState& bench, const std::string&) -> std::unique_ptr<Route> {
            return std::make_unique<CoreRoute>(bench.core(dynamic_cast<const sheet::CoreRoute&>(route).core));
          },
          nullptr,
          [](const sheet::Route& route, const std::string&) {
            return fmt::format("the core {}", dynamic_cast<const sheet::CoreRoute&>(route).core);
          }};
}

BenchCore& coreOf(Route& route, const std::string& memory) {
  if (auto* way = dynamic_cast<CoreRoute*>(&route)) return way->core();
  throw Error(ErrorKind::Usage, fmt::format("{} is a core's memory, and its route leads to no core", memory),
              "Give it \"via\": \"core\".");
}

}  // namespace imprimo::bench
