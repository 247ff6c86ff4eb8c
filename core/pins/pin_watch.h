// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <stop_token>

#include "core/pins/pin_scan.h"

namespace imprimo::pins {

/// Captures one behind the other, as fast as the probe does them, and what moved between them.
class PinWatch {
 public:
  struct Moves {
    std::uint64_t edges = 0;  ///< changes between captures that follow one another
    double high = 0;          ///< share of the captures in which the port was 1
  };
  explicit PinWatch(PinScan& scan);

  /// For about so long, by the wall's clock, or until it is to stop; returns how long it was. Throws LinkLost.
  double run(double seconds, const std::stop_token& stop);
  /// So many more captures. Throws LinkLost.
  void look(std::size_t captures);
  std::uint64_t count() const { return count_; }
  const BitVector& last() const { return last_; }
  /// Of a port's input; nothing moves at one without.
  Moves moves(std::size_t port) const;

 private:
  PinScan& scan_;
  BitVector last_;
  std::uint64_t count_ = 0;
  std::vector<std::uint64_t> edges_, high_;  // by port
};

}  // namespace imprimo::pins
