// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/pin_scan.h"
#include "core/spi/spi_batch.h"

namespace imprimo::pins {

/// Which ports lead to a serial flash, by their index.
struct SpiWires {
  std::size_t cs = 0, clk = 0, mosi = 0, miso = 0;
  Drives held;  ///< levels that other ports keep: wp, hold, a reset
};

/// Reaches a memory by boundary scan, in SPI mode 0: two scans a bit. While a batch runs the device's own logic is cut
/// off from its pins; behind it they are its own again, also where the batch fails.
class PinSpiPort : public spi::SpiPort {
 public:
  /// Throws Usage for ports that cannot be what they are to be, naming them.
  PinSpiPort(PinScan& scan, SpiWires wires);

  spi::SpiAnswers run(const spi::SpiBatch& batch) override;
  std::uint32_t clockHz() const override { return scan_.chain().port().clockHz(); }
  std::uint32_t clocksPerExchange() const override { return 3 * scan_.clocksPerScan(); }

 private:
  class Stream;
  void begin();

  PinScan& scan_;
  SpiWires wires_;
  BitVector idle_;  // cells with nothing selected
};

}  // namespace imprimo::pins
