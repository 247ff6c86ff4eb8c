// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/pin_scan.h"
#include "core/pins/spi_wave.h"

namespace imprimo::pins {

/// Reaches a memory by boundary scan, in SPI mode 0: two scans a clock. While a batch runs the device's own logic is
/// cut off from its pins; behind it they are its own again, also where the batch fails.
class PinSpiPort : public spi::SpiPort {
 public:
  /// Throws as checkWires().
  PinSpiPort(PinScan& scan, SpiWires wires);

  spi::SpiAnswers run(const spi::SpiBatch& batch) override;
  /// Of the wires, not of TCK.
  std::uint32_t clockHz() const override;
  std::uint32_t clocksPerExchange() const override { return SpiWave::kClocksPerExchange; }
  std::uint32_t clocksBeforeStatus() const override { return SpiWave::kClocksBeforeStatus; }
  unsigned lines() const override { return lines_; }
  std::string whySilent() override;

 private:
  class Stream;

  PinScan& scan_;
  SpiWires wires_;
  unsigned lines_;
};

}  // namespace imprimo::pins
