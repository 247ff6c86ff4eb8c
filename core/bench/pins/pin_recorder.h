// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/route_kinds.h"
#include "core/pins/pin_scan.h"
#include "core/pins/spi_wave.h"
#include "core/sheet/pin_route.h"

namespace imprimo::bench {

/// Writes down what would go over pins: what is expected becomes the longest wait and a comparison. An exchange that
/// reads has to say what will be answered. What the device itself would drive is not known on paper: ports that cannot
/// be let go have their safe value, or 0.
class PinRecorder : public RouteRecorder, public spi::SpiPort {
 public:
  /// Throws as pins::checkWires(), and BadFile where the description has no PRELOAD or EXTEST.
  PinRecorder(svf::Writer& writer, ChainPlace place, const bsdl::BoundaryDescription& description,
              const std::string& device, const sheet::PinRoute& route);

  spi::SpiPort* spi() override { return this; }
  void greet() override;
  /// Nothing is between here and the memory that could tell.
  void requireClean() override {}
  void wake() override {}

  spi::SpiAnswers run(const spi::SpiBatch& batch) override;
  std::uint32_t clockHz() const override;
  std::uint32_t clocksPerExchange() const override { return pins::SpiWave::kClocksPerExchange; }
  std::uint32_t clocksBeforeStatus() const override { return pins::SpiWave::kClocksBeforeStatus; }

 private:
  void put(const BitVector& cells, std::span<const std::uint32_t> captured);
  void exchange(const spi::Exchange& exchange, ByteSpan answer, ByteSpan mask);

  svf::Writer& writer_;
  ChainPlace place_;
  pins::BoundaryPorts ports_;
  pins::BoundaryOpcodes opcodes_;
  pins::SpiWires wires_;
  BitVector idle_;
  pins::SpiWave wave_;
  std::vector<bool> expected_, matters_;  // of the captures that are to come
  std::size_t next_ = 0;
};

}  // namespace imprimo::bench
