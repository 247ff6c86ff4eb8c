// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/swo/swo_target.h"

namespace imprimo::bench {

/// How fast trace comes.
struct SwoRate {
  std::uint32_t clockHz = 0;  ///< of trace, as far as is known: in Manchester coding it is not looked for
  std::uint32_t divider = 1;
  std::uint32_t hz = 0;  ///< of the bits, as the probe has it
};

/// Sets both sides so that what is written on one is heard on the other, by words on a port of ours.
class SwoRateSearch {
 public:
  SwoRateSearch(BenchCore& core, SwoTarget& target, probe::SwoPort& port, probe::SwoCoding coding)
      : core_(core), target_(target), port_(port), coding_(coding) {}

  /// `wantedHz`: no faster than that. `clockHz`: what the trace clock should be; 0: not known. Where that does not
  /// hold, the clock is found by the lengths of bits. Throws Refused where nothing is heard.
  SwoRate find(std::uint32_t wantedHz, std::uint32_t clockHz);

 private:
  bool proves(std::uint32_t hz);
  std::optional<SwoRate> tryClock(std::uint32_t wantedHz, std::uint32_t clockHz);
  std::optional<std::uint32_t> measure();
  std::optional<SwoRate> byItself(std::uint32_t wantedHz);
  Bytes hearWord(std::uint32_t word, std::uint32_t hz);

  BenchCore& core_;
  SwoTarget& target_;
  probe::SwoPort& port_;
  probe::SwoCoding coding_;
  std::uint32_t real_ = 0;
};

}  // namespace imprimo::bench
