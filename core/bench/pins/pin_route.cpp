// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/pins/pin_route.h"

#include <fmt/format.h>

#include "core/bench/bench_state.h"
#include "core/bench/pins/pin_recorder.h"

namespace imprimo::bench {
namespace {

const sheet::PinRoute& asPins(const sheet::Route& route) {
  return dynamic_cast<const sheet::PinRoute&>(route);
}

class PinRoute : public Route {
 public:
  PinRoute(const sheet::PinRoute& route, BenchState& bench) : scan_(openPins(bench, route.position)) {
    if (route.isBus()) {
      bus_.emplace(*scan_, busWires(route, scan_->ports()));
    } else {
      port_.emplace(*scan_, spiWires(route, scan_->ports()));
    }
  }

  /// Nothing is there that could answer but the memory itself.
  void greet() override {}
  spi::SpiPort* spi() override { return port_ ? &*port_ : nullptr; }
  spi::ParallelBus* bus() override { return bus_ ? &*bus_ : nullptr; }
  memory::Continuity renewMark(RouteMark&) override { return memory::Continuity::NoMarks; }
  void wake() override {}

 private:
  std::unique_ptr<pins::PinScan> scan_;
  std::optional<pins::PinSpiPort> port_;
  std::optional<pins::PinBus> bus_;
};

}  // namespace

const bsdl::BoundaryDescription& descriptionOf(const sheet::Sheet& sheet, std::size_t position) {
  const sheet::Device& device = sheet.chain.at(position - 1);
  if (!device.description)
    throw Error(ErrorKind::Usage, fmt::format("the sheet has no BSDL file for {}", device.name),
                "Its pins are known by that only: give the device \"bsdl\".");
  return *device.description;
}

std::unique_ptr<pins::PinScan> openPins(BenchState& bench, std::size_t position) {
  return std::make_unique<pins::PinScan>(*bench.chain, position, descriptionOf(bench.sheet, position),
                                         bench.sheet.chain.at(position - 1).name);
}

pins::SpiWires spiWires(const sheet::PinRoute& route, const pins::BoundaryPorts& ports) {
  pins::SpiWires wires{ports.at(route.cs), ports.at(route.clk), ports.at(route.mosi), ports.at(route.miso)};
  for (const auto& [name, wire] : {std::pair{&route.wp, &wires.wp}, {&route.hold, &wires.hold}}) {
    if (name->empty()) continue;
    *wire = ports.at(*name);
    wires.held[**wire] = true;
  }
  for (const auto& [port, level] : route.held) wires.held[ports.at(port)] = level;
  return wires;
}

pins::BusWires busWires(const sheet::PinRoute& route, const pins::BoundaryPorts& ports) {
  pins::BusWires wires;
  for (const std::string& line : route.address) wires.address.push_back(ports.at(line));
  for (const std::string& line : route.data) wires.data.push_back(ports.at(line));
  wires.ce = ports.at(route.ce);
  wires.oe = ports.at(route.oe);
  wires.we = ports.at(route.we);
  for (const auto& [port, level] : route.held) wires.held[ports.at(port)] = level;
  return wires;
}

RouteKind pinRouteKind() {
  // Two scans a bit, of a register that is taken for a common one where its length is not known yet.
  constexpr std::uint32_t kUsualScan = 200;
  return {sheet::PinRoute::kVia,
          3 * kUsualScan,
          16.0 * kUsualScan,
          "device",
          {"the memory answered as before", "the memory may be another one"},
          [](const sheet::Route& route, BenchState& bench, const std::string&) -> std::unique_ptr<Route> {
            return std::make_unique<PinRoute>(asPins(route), bench);
          },
          [](const sheet::Sheet& sheet, const sheet::Route& route, svf::Writer& writer,
             const ChainPlace& place) -> std::unique_ptr<RouteRecorder> {
            return std::make_unique<PinRecorder>(writer, place, descriptionOf(sheet, route.position),
                                                 sheet.chain.at(route.position - 1).name, asPins(route));
          },
          [](const sheet::Route& route, const std::string& device) {
            const sheet::PinRoute& pins = asPins(route);
            if (pins.isBus())
              return fmt::format("pins of {} ({} address and {} data lines)", device, pins.address.size(),
                                 pins.data.size());
            return fmt::format("pins of {} ({}, {}, {}, {})", device, pins.cs, pins.clk, pins.mosi, pins.miso);
          },
          [](const sheet::Route& route, const sheet::Sheet& sheet) {
            const sheet::Device& device = sheet.chain.at(route.position - 1);
            const std::uint32_t cells = device.description ? device.description->boundaryLength : kUsualScan;
            const sheet::PinRoute& pins = asPins(route);
            // A scan reads a word of a parallel flash, and two a bit of a serial one.
            const double scans = pins.isBus() ? 8.0 / static_cast<double>(pins.data.size()) : 16.0;
            return scans * static_cast<double>(cells + sheet.chain.size() + 5);
          }};
}

}  // namespace imprimo::bench
