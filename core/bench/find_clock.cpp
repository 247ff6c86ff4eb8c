// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/base/error.h"
#include "core/bench/bench.h"

namespace imprimo::bench {

ClockReport Bench::findClock(const std::function<void(const probe::ClockSample&)>& each, const std::stop_token& stop) {
  probe::ClockSearchOptions options;
  options.each = each;
  double limit = 0;
  for (const sheet::Device& device : state_.sheet.chain) {
    const double own = device.description ? device.description->tap.highestClock : 0;
    if (own > 0 && (limit == 0 || own < limit)) limit = own;
  }
  options.limitHz = static_cast<std::uint32_t>(limit);
  ClockReport report;
  const std::uint32_t before = state_.clockHz;
  const auto putBack = [&] {
    state_.clockHz = before;
    state_.useClock();
  };
  try {
    report.chain = probe::searchClock(*state_.probe, *state_.chain, options, stop);
    state_.clockHz = report.chain.slowHz;  // memories are identified at the clock that is known to be sound
    for (const sheet::MemoryEntry& entry : state_.sheet.memories)
      report.memories[entry.name] = findClockOf(entry.name, report.chain, stop);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::LinkLost) putBack();
    throw;
  }
  putBack();
  return report;
}

MemoryClock Bench::findClockOf(const std::string& name, const probe::ClockSearch& chain, const std::stop_token& stop) {
  constexpr int kReads = 40;
  MemoryClock result;
  try {
    state_.useClock();
    BenchMemory& onBench = at(name);
    memory::Memory& memory = onBench.memory();
    Route& route = *onBench.opened_->route;
    route.greet();
    const Bytes signature = memory.signature();
    std::uint32_t failed = 0;
    for (const probe::ClockSample& sample : chain.samples) {
      if (sample.hz > chain.suggested || failed != 0) break;
      if (stop.stop_requested())
        throw Error(ErrorKind::Stopped, "stopped while the clock was looked for; nothing was changed");
      // The bridge's instruction was loaded at the slow clock and stays; only data goes at this one.
      state_.probe->setClock(sample.hz);
      const int equal = memory.equalSignatures(signature, kReads);
      state_.probe->setClock(chain.slowHz);
      if (equal != kReads) {
        failed = sample.hz;
        state_.chain->forget();
        route.greet();
        memory.signature();
      }
      result.samples.push_back({sample.hz, kReads, equal});
    }
    std::vector<probe::ClockSample> asChain;
    for (const MemoryClockSample& s : result.samples) {
      asChain.push_back(
          {s.hz, static_cast<std::uint64_t>(s.reads), static_cast<std::uint64_t>(s.reads - s.equal), true});
    }
    result.suggested = probe::suggestedClock(asChain, chain.suggested);
    result.why = failed == 0
                     ? fmt::format("ID and parameter header are the same in {} reads at every clock up to it", kReads)
                     : fmt::format("at {} MHz ID or parameter header change; this keeps a fifth below", failed / 1e6);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::LinkLost || e.kind() == ErrorKind::Stopped) throw;
    result.problem = e.what();
    state_.useClock();
  }
  return result;
}

}  // namespace imprimo::bench
