// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstddef>
#include <optional>

#include "sim/spi_flash.h"

namespace imprimo::sim {

/// The nets that a flash's wires are on, by their numbers; one that is left out is high.
struct FlashWires {
  std::optional<std::size_t> cs, clk, mosi, miso, wp, hold;
  /// The data lines, as several carry a byte: mosi, miso, wp, hold.
  std::array<std::optional<std::size_t>, 4> data() const { return {mosi, miso, wp, hold}; }
};

/// The wires of a serial flash, edge by edge, in SPI mode 0: data is taken with the rising clock and changes with the
/// falling one. What moves too close together is noted.
class FlashPins {
 public:
  struct Levels {
    bool cs = true, clk = false;
    std::array<bool, 4> data{true, true, true, true};
  };
  FlashPins(SpiFlash& flash, FlashWires wires, Violations& violations)
      : flash_(flash), wires_(wires), violations_(violations) {}

  const FlashWires& wires() const { return wires_; }
  void see(const Levels& levels, Time now);
  /// What it drives at a data line; nothing while it is not selected, held, or another one talks.
  std::optional<bool> drives(std::size_t line) const;
  void powerLost();

 private:
  void select(Time now);
  bool isHeld() const { return !last_.data[3] && !flash_.fourLines(); }
  void rise(const Levels& before);
  void fall(Time now);

  SpiFlash& flash_;
  FlashWires wires_;
  Violations& violations_;
  Levels last_;
  bool known_ = false;
  SpiFlash::Phase phase_;
  unsigned idle_ = 0;  // clocks of the phase that are still to come
  int bits_ = 0;
  std::uint8_t in_ = 0, out_ = 0;
};

}  // namespace imprimo::sim
