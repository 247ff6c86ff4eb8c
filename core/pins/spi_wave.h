// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "core/pins/pin_levels.h"
#include "core/spi/spi_batch.h"

namespace imprimo::pins {

/// Which ports lead to a serial flash, by their index.
struct SpiWires {
  std::size_t cs = 0, clk = 0, mosi = 0, miso = 0;
  std::optional<std::size_t> wp{}, hold{};
  Drives held{};  ///< levels that other ports keep: wp and hold high, a reset
};

/// How many lines can carry data both ways: 1, 2 or 4. A port that shares its enable with one that is no data line
/// cannot be let go when it has to be.
unsigned dataLines(const BoundaryPorts& ports, const SpiWires& wires);

/// Throws Usage for ports that cannot be what they are to be, naming them.
void checkWires(const BoundaryPorts& ports, const SpiWires& wires);

/// What EXTEST begins with, nothing selected. Throws Usage where the wires cannot be driven so.
BitVector idleCells(const BoundaryPorts& ports, const SpiWires& wires, const BitVector& sampled);

/// Exchanges of a serial flash as scans of a boundary register, in SPI mode 0. Two scans make a clock: with the first
/// one it falls and what goes out changes, with the second it rises; what comes in is captured with the second.
class SpiWave {
 public:
  /// Of two scans each: what selecting and its end take, and that with the status command.
  static constexpr std::uint32_t kClocksPerExchange = 2, kClocksBeforeStatus = 10;

  /// One scan: what it brings, and cells of which the level before it is wanted, sorted.
  using Put = std::function<void(const BitVector& cells, std::span<const std::uint32_t> captured)>;

  /// `idle`: cells with nothing selected.
  SpiWave(const BoundaryPorts& ports, const SpiWires& wires, BitVector idle, Put put);
  void exchange(const spi::Exchange& exchange);

  /// The bytes of so many clocks each of which captured `lines` levels, in the order of the captures.
  Bytes bytesOf(const std::vector<bool>& captured, unsigned lines) const;
  /// The other way round: what the captures of these bytes are.
  std::vector<bool> capturesOf(ByteSpan bytes, unsigned lines) const;

 private:
  struct Line {
    std::uint32_t out = 0;
    std::optional<std::uint32_t> in, enable;
    bool off = false;
  };
  /// The cells of a capture, and the number of the bit that each has.
  struct Capture {
    std::vector<std::uint32_t> cells;
    std::vector<unsigned> bits;
  };
  static Line lineOf(const BoundaryPort& port);
  void drive(const Line& line, bool level);
  void letGo(const Line& line);
  void put(std::span<const std::uint32_t> captured = {});
  void out(std::uint8_t byte, unsigned lines);
  const Capture& captureOf(unsigned lines) const { return captures_[lines / 2]; }

  BitVector idle_, cells_;
  Put put_;
  std::uint32_t cs_, clk_;
  std::vector<Line> lines_;
  std::array<Capture, 3> captures_;  // of 1, 2 and 4 lines
};

}  // namespace imprimo::pins
