// SPDX-License-Identifier: GPL-3.0-or-later
//
// The bench's parts as such: how they are, loading the bridge into one, letting the target start again.
#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/bench/bench.h"
#include "core/bench/bridge_data.h"

namespace imprimo::bench {

const DeviceConfig& Bench::deviceConfig(std::size_t position) {
  DeviceConfigPtr& config = configs_[position];
  if (!config) config = bench::deviceConfig(sheet_, position, findConfigCard_);
  return *config;
}

DeviceReport Bench::lookAtDevice(std::size_t position) {
  useClockOf({});
  const DeviceConfig& config = deviceConfig(position);
  return reportOf(config, configure::lookAt(config.target, config.cardOrNull(), *chain_));
}

const sheet::BridgeRoute& Bench::bridgeRoute(const std::string& name) const {
  const auto* route = std::get_if<sheet::BridgeRoute>(&sheet_.memory(name).route);
  if (route != nullptr) return *route;
  throw Error(ErrorKind::Usage,
              fmt::format("{} is reached by pins (boundary scan), which this version cannot drive", name),
              "Memories behind a bridge work.");
}

spi::BridgePort& Bench::bridgePort(const std::string& name) {
  const sheet::BridgeRoute& route = bridgeRoute(name);
  useClockOf(name);
  Opened& opened = opened_[name];
  if (!opened.port) {
    opened.port =
        std::make_unique<spi::BridgePort>(*chain_, route.position, route.opcode, sheet_.chain[route.position - 1].name);
  }
  return *opened.port;
}

bool Bench::bridgeAnswers(const std::string& name) {
  try {
    bridgePort(name).hello();
    return true;
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoBridge) throw;
    return false;
  }
}

std::string Bench::loadBridge(const std::string& name, Progress& progress) {
  const sheet::BridgeRoute& route = bridgeRoute(name);
  if (bridgeAnswers(name)) return loaded_.contains(route.position) ? "still there from before" : "one answers already";
  const bool again = loaded_.erase(route.position) > 0;
  for (auto& [other, opened] : opened_) {
    if (const auto* its = std::get_if<sheet::BridgeRoute>(&sheet_.memory(other).route);
        its == nullptr || its->position != route.position)
      continue;
    opened.contents.doubt();
    marks_.erase(other);
  }
  const BridgeData data = readBridgeData(sheet_, route, findConfigCard_);
  const std::string& device = data.target.name;
  // A part that started by itself meanwhile may be in another TAP state than the rest.
  chain_->port().run(jtag::ScanBatch().reset());
  const auto procedure = data.procedure(data.target, probe_->clockHz());
  stoppedDesigns_.insert(device);
  try {
    for (std::size_t i = 0; i < procedure->stages().size(); ++i) {
      const configure::StageResult result = procedure->carryOut(i, *chain_, progress);
      if (result.mismatch) throw Error(ErrorKind::NotProgrammed, result.mismatch->text());
    }
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NotProgrammed) {
      throw Error(e.kind(), fmt::format("{}, while the bridge was loaded into {}", e.what(), device),
                  fmt::format("{} has no design now, and no flash command was sent: nothing was written. {}", device,
                              e.remedy()));
    }
    procedure->leave(*chain_);
    throw Error(ErrorKind::NoBridge, fmt::format("the bridge {} could not be loaded: {}", *route.load, e.full()),
                fmt::format("{} has no design now. No flash command was sent.", device));
  }
  chain_->forget();
  spi::BridgePort& port = bridgePort(name);
  port.hello();
  // Dedicated clock pins of some parts swallow the first clocks behind a configuration (bridge.md, host rules).
  spi::SpiBatch wake;
  wake.exchange({0xFF}, 0);
  port.run(wake);
  loaded_.insert(route.position);
  return again ? "it was gone and is loaded again; the design that ran there has stopped"
               : "the design that ran there has stopped";
}

/// Memories are left as they were found, which is how a part that starts from them expects them.
void Bench::putMemoriesAway() {
  for (auto& [name, opened] : opened_) {
    if (!opened.memory) continue;
    opened.contents.doubt();
    remembered_[name] = {opened.identity, std::move(opened.contents)};
  }
  opened_.clear();
}

void Bench::doubtAll() {
  // Before memories are left, the way to them has to be selected anew.
  chain_->forget();
  putMemoriesAway();
  marks_.clear();
  loaded_.clear();
}

std::optional<plan::Knowledge> Bench::lastKnown(const std::string& name) const {
  const auto found = remembered_.find(name);
  if (found == remembered_.end()) return std::nullopt;
  plan::Knowledge known;
  known.geometry = found->second.identity.geometry;
  known.contents = &found->second.contents.bytes();
  known.sure = &found->second.contents.sure();
  known.speed = speed();
  return known;
}

std::vector<DeviceReport> Bench::restart() {
  constexpr double kMostStartSeconds = 10;
  std::vector<DeviceReport> devices;
  useClockOf({});
  std::vector<std::size_t> ownWay;
  for (std::size_t i = 1; i <= sheet_.chain.size(); ++i) {
    if (!sheet_.chain[i - 1].description) continue;
    const DeviceConfig& config = deviceConfig(i);
    if (config.card && !config.card->restart.empty()) ownWay.push_back(i);
  }
  putMemoriesAway();
  marks_.clear();
  stoppedDesigns_.clear();
  chain_->forget();
  // Where no part knows a way of its own, the board's reset is what there is.
  if (ownWay.empty()) probe_->pulseReset(std::chrono::milliseconds(50));
  for (const std::size_t position : ownWay) {
    const DeviceConfig& config = deviceConfig(position);
    const auto procedure =
        configure::cardProcedure(config.target, *config.card, config.card->restart, nullptr, probe_->clockHz());
    loaded_.erase(position);
    NoProgress nobody;
    for (std::size_t i = 0; i < procedure->stages().size(); ++i) procedure->carryOut(i, *chain_, nobody);
    DeviceReport report = lookAtDevice(position);
    for (double waited = 0; report.runs == false && waited < kMostStartSeconds; waited += 0.05) {
      chain_->port().run(jtag::ScanBatch().delay(std::chrono::milliseconds(50)));
      report = lookAtDevice(position);
    }
    devices.push_back(std::move(report));
  }
  chain_->forget();
  return devices;
}

}  // namespace imprimo::bench
