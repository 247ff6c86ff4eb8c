// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/pin_scan.h"
#include "core/spi/parallel_bus.h"

namespace imprimo::pins {

/// Which ports lead to a parallel memory, by their index.
struct BusWires {
  std::vector<std::size_t> address, data;  ///< the lowest line first; data are 8 or 16
  std::size_t ce = 0, oe = 0, we = 0;
  Drives held{};  ///< levels that other ports keep
};

/// Throws Usage for ports that cannot be what they are to be, naming them.
void checkWires(const BoundaryPorts& ports, const BusWires& wires);

/// A memory's buses by boundary scan: a scan for a read, which the next one brings in, and three for a write. While
/// something runs the device's own logic is cut off from its pins.
class PinBus : public spi::ParallelBus {
 public:
  /// Throws as checkWires().
  PinBus(PinScan& scan, BusWires wires);

  std::vector<std::uint16_t> run(const std::vector<spi::BusItem>& items) override;
  unsigned dataBits() const override { return static_cast<unsigned>(wires_.data.size()); }
  unsigned addressBits() const override { return static_cast<unsigned>(wires_.address.size()); }
  double readSeconds() const override;

 private:
  class Cycles;

  PinScan& scan_;
  BusWires wires_;
};

}  // namespace imprimo::pins
