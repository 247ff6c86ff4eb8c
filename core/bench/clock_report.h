// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>

#include "core/probe/clock_search.h"

namespace imprimo::bench {

/// How a memory answered at one clock.
struct MemoryClockSample {
  std::uint32_t hz = 0;
  int reads = 0;
  int equal = 0;  ///< as at the slow clock
};

struct MemoryClock {
  std::vector<MemoryClockSample> samples;  ///< rising
  std::uint32_t suggested = 0;             ///< never above the chain's
  std::string why;
  std::string problem;  ///< why it could not be tried; empty when it was
};

/// The fastest sound clocks of a bench.
struct ClockReport {
  probe::ClockSearch chain;
  std::map<std::string, MemoryClock> memories;
};

}  // namespace imprimo::bench
