// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/bridge_route.h"

#include <fmt/format.h>

#include "core/bench/bench_state.h"
#include "core/bench/bridge_recorder.h"
#include "core/sheet/bridge_route.h"
#include "core/spi/bridge_frames.h"
#include "core/spi/bridge_port.h"

namespace imprimo::bench {
namespace {

const sheet::BridgeRoute& asBridge(const sheet::Route& route) {
  return dynamic_cast<const sheet::BridgeRoute&>(route);
}

/// Dedicated clock pins of some devices swallow the first clocks after a configuration (bridge.md, host rules).
void sendFirstClocks(spi::SpiPort& port) {
  spi::SpiBatch first;
  first.exchange({0xFF}, 0);
  port.run(first);
}

class BridgeRoute : public Route {
 public:
  BridgeRoute(const sheet::BridgeRoute& route, jtag::Chain& chain, const std::string& device)
      : port_(chain, route.position, route.opcode, device) {}

  void greet() override { port_.hello(); }
  spi::SpiPort* spi() override { return &port_; }
  memory::Continuity renewMark(RouteMark& mark) override {
    const bool first = mark.left.empty();
    spi::BridgeMark own{mark.left, mark.supported};
    const bool unbroken = port_.renewMark(own);
    mark = {own.left, own.supported};
    if (unbroken) return memory::Continuity::Unbroken;
    if (!mark.supported) return memory::Continuity::NoMarks;
    return first ? memory::Continuity::First : memory::Continuity::Broken;
  }
  void wake() override {
    port_.hello();
    sendFirstClocks(port_);
  }

 private:
  spi::BridgePort port_;
};

class RecordedBridge : public RouteRecorder {
 public:
  RecordedBridge(const sheet::BridgeRoute& route, svf::Writer& writer, const ChainPlace& place)
      : port_(writer, place, route.opcode) {}

  spi::SpiPort* spi() override { return &port_; }
  void greet() override { port_.greet(); }
  void requireClean() override { port_.requireClean(); }
  void wake() override {
    port_.greet();
    sendFirstClocks(port_);
  }

 private:
  BridgeRecorder port_;
};

}  // namespace

RouteKind bridgeRouteKind() {
  return {
      sheet::BridgeRoute::kVia,
      spi::bridge::kHeaderBits,
      8,
      "bridge",
      {"the bridge kept its mark", "the bridge lost its mark, so the board was restarted, switched off or exchanged"},
      [](const sheet::Route& route, BenchState& bench, const std::string& device) -> std::unique_ptr<Route> {
        return std::make_unique<BridgeRoute>(asBridge(route), *bench.chain, device);
      },
      [](const sheet::Sheet&, const sheet::Route& route, svf::Writer& writer,
         const ChainPlace& place) -> std::unique_ptr<RouteRecorder> {
        return std::make_unique<RecordedBridge>(asBridge(route), writer, place);
      },
      [](const sheet::Route& route, const std::string& device) {
        return fmt::format("the bridge in {} ({})", device, asBridge(route).instruction);
      }};
}

}  // namespace imprimo::bench
