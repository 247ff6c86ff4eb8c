// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/board_fault.h"

namespace imprimo::sim {

std::uint64_t NoisyWire::disturb(std::uint64_t bits, int count, double rate) {
  if (rate <= 0) return bits;
  if (rate != rate_) {
    rate_ = rate;
    toNext_ = std::geometric_distribution<std::uint64_t>(rate_)(random_);
  }
  auto left = static_cast<std::uint64_t>(count);
  std::uint64_t at = 0;
  while (toNext_ < left) {
    at += toNext_;
    left -= toNext_ + 1;
    bits ^= 1ull << at;
    ++at;
    toNext_ = std::geometric_distribution<std::uint64_t>(rate_)(random_);
  }
  toNext_ -= left;
  return bits;
}

}  // namespace imprimo::sim
