// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>

#include "core/memory/known_contents.h"
#include "core/spi/parallel_bus.h"
#include "core/spi/spi_batch.h"

namespace imprimo::bench {

/// What this program left at the far end of a route, to know it again by. It outlives the route in use.
struct RouteMark {
  Bytes left;             ///< empty: nothing was left yet
  bool supported = true;  ///< false for a route that keeps none
};

/// The way to one memory, in use on a bench. A kind of route derives from this and has a row in route_kinds.cpp.
class Route {
 public:
  virtual ~Route() = default;
  /// Asks whether the far end is there; comes first on every connection. Throws NoBridge with what was read, LinkLost.
  virtual void greet() = 0;
  /// The SPI wires to the memory, which live as long as this; null for a route to another kind of memory.
  virtual spi::SpiPort* spi() { return nullptr; }
  /// The same of a parallel memory's wires.
  virtual spi::ParallelBus* bus() { return nullptr; }
  /// Asks for the mark that was left last and leaves a new one. `Unbroken` proves that nobody else was at the memory
  /// since. Throws NoBridge, LinkLost.
  virtual memory::Continuity renewMark(RouteMark& mark) = 0;
  /// After its device was loaded: greets, and sends what the first exchange may lose.
  virtual void wake() = 0;
};

/// The same way written down instead of used (core/vectors): what is expected becomes a wait and a comparison.
class RouteRecorder {
 public:
  virtual ~RouteRecorder() = default;
  virtual spi::SpiPort* spi() { return nullptr; }
  /// Selects the far end and asks whether it is there.
  virtual void greet() = 0;
  /// Nothing that was sent since the last time may have been damaged.
  virtual void requireClean() = 0;
  virtual void wake() = 0;
};

/// The wires of one that has them. Throws Usage, naming the memory.
spi::SpiPort& spiOf(Route& route, const std::string& memory);
spi::SpiPort& spiOf(RouteRecorder& route, const std::string& memory);
spi::ParallelBus& busOf(Route& route, const std::string& memory);

}  // namespace imprimo::bench
