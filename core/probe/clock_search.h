// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/jtag/chain.h"
#include "core/probe/probe.h"

namespace imprimo::probe {

/// What came of one clock.
struct ClockSample {
  std::uint32_t hz = 0;    ///< what the probe really gives
  std::uint64_t bits = 0;  ///< sent through all parts in BYPASS
  std::uint64_t wrong = 0;
  bool idsEqual = true;  ///< read at the slow clock afterwards, they are what they were before
  bool sound() const { return wrong == 0 && idsEqual; }
};

struct ClockSearch {
  std::vector<ClockSample> samples;  ///< rising
  std::uint32_t slowHz = 0;          ///< where instructions were loaded and IDs compared
  std::uint32_t highestSound = 0;
  std::uint32_t limitHz = 0;    ///< the slowest part's own limit (TAP_SCAN_CLOCK); 0: none is known
  std::uint32_t suggested = 0;  ///< 0: nothing was sound, not even the slow clock
  std::string why;              ///< of the suggestion, in a sentence
};

struct ClockSearchOptions {
  std::uint32_t from = 1'000'000;
  std::uint32_t to = 30'000'000;
  std::uint32_t limitHz = 0;
  int patterns = 24;  ///< at each clock
  std::size_t patternBits = 512;
  std::function<void(const ClockSample&)> each;  ///< told of every sample
};

/// Sends patterns through BYPASS at rising clocks. Instructions are loaded at the slow clock only; after each rate the
/// clock goes back, the TAPs are reset and the IDs compared, so a part that was led astray is found. Ends after two
/// rates with errors. Leaves the slow clock, all parts in BYPASS. Throws what the probe throws, and Stopped.
ClockSearch searchClock(Probe& probe, jtag::Chain& chain, const ClockSearchOptions& options,
                        const std::stop_token& stop = {});

/// The fastest of the sound rates that keeps a fifth below the slowest one that failed.
std::uint32_t suggestedClock(const std::vector<ClockSample>& samples, std::uint32_t limitHz);

}  // namespace imprimo::probe
