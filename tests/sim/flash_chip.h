// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/spi_flash.h"

namespace imprimo::sim {

/// A flash on its own, spoken to a byte at a time at 10 MHz.
struct Device {
  explicit Device(FlashModel model = {}) : flash(std::move(model), violations) {}
  Violations violations;
  SpiFlash flash;
  Time now = 1;

  Bytes send(const Bytes& out, std::size_t read = 0, int strayBits = 0) {
    Bytes in;
    flash.select(now);
    for (const std::uint8_t byte : out) {
      flash.output(now);
      flash.input(byte);
      now += 800'000;
    }
    for (std::size_t i = 0; i < read; ++i) {
      in.push_back(flash.output(now));
      flash.input(0);
      now += 800'000;
    }
    flash.deselect(now, strayBits);
    return in;
  }
  void wait(double seconds) { now += fromSeconds(seconds); }
  Bytes read(std::uint32_t at, std::size_t count) {
    return send(
        {3, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8), static_cast<std::uint8_t>(at)},
        count);
  }
  void program(std::uint32_t at, const Bytes& data) {
    send({6});
    Bytes command{2, static_cast<std::uint8_t>(at >> 16), static_cast<std::uint8_t>(at >> 8),
                  static_cast<std::uint8_t>(at)};
    command.insert(command.end(), data.begin(), data.end());
    send(command);
    wait(0.01);
  }
};

}  // namespace imprimo::sim
