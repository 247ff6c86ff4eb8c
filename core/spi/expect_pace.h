// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <chrono>
#include <optional>

#include "core/jtag/jtag_port.h"
#include "core/spi/spi_batch.h"

namespace imprimo::spi {

/// When an Expect is looked after: first when it typically is so, then in steps, until its limit.
class ExpectPace {
 public:
  ExpectPace(const Expect& expect, const jtag::JtagPort& port)
      : port_(port),
        began_(port.clock()),
        limit_(expect.limit),
        next_(expect.typical),
        step_(expect.step.count() > 0 ? expect.step : std::max(expect.typical / 16, std::chrono::microseconds(100))) {}

  /// How long to wait before the next look.
  std::chrono::microseconds next() {
    const std::chrono::microseconds pause = next_;
    waited_ += pause;
    next_ = step_;
    return pause;
  }
  std::chrono::microseconds waited() const { return waited_; }
  /// A probe whose delays pass no time is asked more often, not given less time.
  bool isOver() const { return waited_ >= limit_ && (!began_ || *port_.clock() - *began_ >= limit_); }

 private:
  const jtag::JtagPort& port_;
  std::optional<std::chrono::nanoseconds> began_;
  std::chrono::microseconds limit_, next_, step_, waited_{0};
};

}  // namespace imprimo::spi
