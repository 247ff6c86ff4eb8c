// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/devices.h"

namespace imprimo::bench {

const DeviceConfig& Devices::config(std::size_t position) {
  DeviceConfigPtr& config = configs_[position];
  if (!config) config = deviceConfig(state_.sheet, position, state_.find.configCard);
  return *config;
}

DeviceReport Devices::lookAt(std::size_t position) {
  state_.useClock();
  const DeviceConfig& own = config(position);
  return reportOf(own, configure::lookAt(own.target, own.cardOrNull(), *state_.chain));
}

std::vector<DeviceReport> Devices::restart() {
  constexpr double kMostStartSeconds = 10;
  std::vector<DeviceReport> devices;
  state_.useClock();
  std::vector<std::size_t> ownWay;
  for (std::size_t i = 1; i <= state_.sheet.chain.size(); ++i) {
    if (!state_.sheet.chain[i - 1].description) continue;
    const DeviceConfig& own = config(i);
    if (own.card && !own.card->restart.empty()) ownWay.push_back(i);
  }
  state_.putMemoriesAway();
  state_.forgetMarks();
  state_.stoppedDesigns.clear();
  // Those that others start come first, and then the others, as the sheet has them.
  for (const bool starts : {false, true}) {
    for (const sheet::CoreEntry& entry : state_.sheet.cores) {
      const auto core = state_.cores.find(entry.name);
      if (core == state_.cores.end() || entry.startedBy.has_value() == starts) continue;
      starts ? core->second->restart() : core->second->leaveToItsStarter();
    }
  }
  if (!state_.chain) return devices;
  state_.chain->forget();
  // Where no part knows a way of its own, the board's reset is what there is.
  if (ownWay.empty()) probe::resetOf(*state_.probe).pulseReset(kResetPulse);
  for (const std::size_t position : ownWay) {
    const DeviceConfig& own = config(position);
    const auto procedure =
        configure::cardProcedure(own.target, *own.card, own.card->restart, nullptr, state_.probe->clockHz());
    state_.loaded.erase(position);
    NoProgress nobody;
    for (std::size_t i = 0; i < procedure->stages().size(); ++i) procedure->carryOut(i, *state_.chain, nobody);
    DeviceReport report = lookAt(position);
    for (double waited = 0; report.runs == false && waited < kMostStartSeconds; waited += 0.05) {
      state_.chain->port().run(jtag::ScanBatch().delay(std::chrono::milliseconds(50)));
      report = lookAt(position);
    }
    devices.push_back(std::move(report));
  }
  state_.chain->forget();
  return devices;
}

void Devices::restartCore(const std::string& core, const std::optional<debug::CoreStart>& from) {
  state_.useClock();
  state_.putMemoriesAway();
  state_.forgetMarks();
  BenchCore& one = state_.core(core);
  one.connect();
  one.restart(from);
}

}  // namespace imprimo::bench
