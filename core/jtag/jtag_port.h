// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>

#include "core/jtag/scan_batch.h"

namespace imprimo::jtag {

/// Whoever carries out scan batches: a probe, a recorder, a twin in a test.
class JtagPort {
 public:
  virtual ~JtagPort() = default;
  /// Returns when all of it is done. Throws LinkLost or NoProbe; then nothing is known of the TAP's state.
  virtual ScanAnswers run(const ScanBatch& batch) = 0;
  /// TCK frequency, for estimates.
  virtual std::uint32_t clockHz() const = 0;
  /// Asks for a TCK frequency; clockHz() tells what it is then, which is not higher. A port without a clock of its own
  /// stays as it is.
  virtual void setClock(std::uint32_t /*hz*/) {}
  /// How often the wires were used otherwise in between, so that nothing is known of instruction registers any more.
  virtual unsigned interruptions() const { return 0; }
  /// A clock for limits, where time passes by itself: an operation is given up only when this has passed them too.
  /// Nothing where only what was asked for passes, as in a simulation.
  virtual std::optional<std::chrono::nanoseconds> clock() const { return std::nullopt; }
};

}  // namespace imprimo::jtag
