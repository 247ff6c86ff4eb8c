// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/bench_state.h"

namespace imprimo::bench {

/// The bench's devices as such: how they are configured, and what they say of themselves.
class Devices {
 public:
  explicit Devices(BenchState& state) : state_(state) {}

  /// How a device is configured, by its description and its card. Throws BadFile, Usage.
  const DeviceConfig& config(std::size_t position);
  /// Looks at a device's status and user code; changes nothing.
  DeviceReport lookAt(std::size_t position);
  /// Those whose design was stopped here by loading something for a route, and that were not restarted since.
  const std::set<std::string>& stoppedDesigns() const { return state_.stoppedDesigns; }
  /// Each device whose card has a way to make it start from its flash is told so, and is looked at until its design
  /// runs; without such a device, a pulse on the target's reset. Cores that are connected are reset and let run.
  /// Returns how devices are then. Memories are put away.
  std::vector<DeviceReport> restart();
  /// One core alone, from somewhere else than its reset vector where that is given.
  void restartCore(const std::string& core, const std::optional<debug::CoreStart>& from = {});
  /// The sheet may name other cards now.
  void forgetConfigs() { configs_.clear(); }

 private:
  BenchState& state_;
  std::map<std::size_t, DeviceConfigPtr> configs_;
};

}  // namespace imprimo::bench
