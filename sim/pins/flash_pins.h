// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <optional>

#include "sim/spi_flash.h"

namespace imprimo::sim {

/// The nets that a flash's wires are on, by their numbers; one that is left out is high.
struct FlashWires {
  std::optional<std::size_t> cs, clk, mosi, miso, hold;
};

/// The wires of a serial flash, edge by edge, in SPI mode 0: data is taken with the rising clock and changes with the
/// falling one. What moves too close together is noted.
class FlashPins {
 public:
  struct Levels {
    bool cs = true, clk = false, mosi = true, hold = true;
  };
  FlashPins(SpiFlash& flash, FlashWires wires, Violations& violations)
      : flash_(flash), wires_(wires), violations_(violations) {}

  const FlashWires& wires() const { return wires_; }
  void see(const Levels& levels, Time now);
  /// Nothing while it is not selected, or held.
  std::optional<bool> miso() const;
  void powerLost();

 private:
  bool answers() const;

  SpiFlash& flash_;
  FlashWires wires_;
  Violations& violations_;
  Levels last_;
  bool known_ = false;
  int bits_ = 0;
  std::uint8_t in_ = 0, out_ = 0;
  std::optional<std::uint8_t> command_;  // since it was selected
};

}  // namespace imprimo::sim
