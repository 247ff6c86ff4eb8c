// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <random>
#include <vector>

#include "sim/sim_clock.h"

namespace imprimo::sim {

/// What is wrong with a board, apart from its memories. Positions count from TDI, starting at 1.
struct BoardFault {
  enum class Kind {
    NoPower,      ///< all the time, or before `from`, or from `until` on; with both, from the earlier to the later
    Cut,          ///< the wire behind part `position` floats at `level`
    HeldInReset,  ///< the part's TAP stays in Test-Logic-Reset and does not drive TDO
    Noise,        ///< above `aboveHz` a bit of TDO is wrong with probability `rate`
    StuckTdo,     ///< TDO stays at `level`
  };
  Kind kind = Kind::NoPower;
  std::size_t position = 0;
  bool level = true;
  Time from = 0;                ///< NoPower: power comes at this time
  std::optional<Time> until{};  ///< NoPower: and goes at this one
  std::uint32_t aboveHz = 0;
  double rate = 0;
};

/// Turns bits around now and then, the same ones in every run.
class NoisyWire {
 public:
  /// Bits are counted only where the wire is noisy, so `rate` is what it says.
  std::uint64_t disturb(std::uint64_t bits, int count, double rate);

 private:
  std::mt19937_64 random_{20261123};
  double rate_ = 0;
  std::uint64_t toNext_ = 0;
};

}  // namespace imprimo::sim
