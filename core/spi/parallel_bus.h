// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <cstdint>
#include <variant>
#include <vector>

namespace imprimo::spi {

/// One access to a memory with an address and a data bus; data is 8 or 16 bits, addresses count words of that.
struct BusWrite {
  std::uint32_t address = 0;
  std::uint16_t data = 0;
};
struct BusRead {
  std::uint32_t address = 0;
  bool anew = false;  ///< oe falls for it, which is when a part looks at its own state again
};
/// Nothing happens for at least so long.
struct BusWait {
  std::chrono::microseconds time{};
};
using BusItem = std::variant<BusWrite, BusRead, BusWait>;

/// The wires of a parallel memory, by whichever route.
class ParallelBus {
 public:
  virtual ~ParallelBus() = default;
  /// Carries out all of them in order; what was read, in order. Throws LinkLost.
  virtual std::vector<std::uint16_t> run(const std::vector<BusItem>& items) = 0;
  virtual unsigned dataBits() const = 0;     ///< 8 or 16
  virtual unsigned addressBits() const = 0;  ///< lines of it
  /// How long a read takes, in seconds; for estimates.
  virtual double readSeconds() const = 0;
};

}  // namespace imprimo::spi
