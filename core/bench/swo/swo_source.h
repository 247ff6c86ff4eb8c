// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/swo/swo_rate.h"
#include "core/console/itm_ports.h"
#include "core/console/source.h"

namespace imprimo::bench {

/// The stimulus ports of a core's instrumentation trace, by SWO. The core is not halted; trace is switched on for it,
/// and the rate is found.
class SwoSource : public console::Source {
 public:
  /// Throws Refused where the probe cannot, the core has no trace, or nothing comes.
  SwoSource(BenchCore& core, sheet::SwoWish wish);
  std::vector<console::Heard> hear() override;
  std::size_t tell(ByteSpan) override { return 0; }
  void end() override;

 private:
  void setUp();

  BenchCore& core_;
  sheet::SwoWish wish_;
  probe::SwoPort& port_;
  SwoTarget target_;
  SwoRate rate_;
  console::ItmStream stream_;
  std::string note_, said_;  // to be said, and that was
  int wrong_ = 0;            // looks in a row that gave what is no trace
  std::chrono::nanoseconds lookedAt_{};
};

}  // namespace imprimo::bench
