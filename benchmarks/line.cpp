// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a line costs beside the runs of its boards, and how many boards more places do in the bench's own time.
#include <benchmark/benchmark.h>

#include <chrono>
#include <list>
#include <thread>

#include "line/station.h"
#include "records/database.h"
#include "records/store_address.h"
#include "tests/line/line_bench.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;
using Clock = std::chrono::steady_clock;

/// Presses the key at once, and adds up what the runs took.
class Quick : public line::Watcher {
 public:
  void entered(line::Phase phase, const std::string&) override {
    if (phase == line::Phase::AwaitsKey) station->press();
  }
  void finished(const line::BoardResult& result) override {
    runs += result.seconds;
    good += result.kind == line::BoardResult::Kind::Good ? 1 : 0;
  }
  line::Station* station = nullptr;
  double runs = 0;
  int good = 0;
};

line::Place placeAt(const SimulatedPlace& place, const sheet::Sheet& sheet) {
  line::Place where;
  where.bench = {place.address(), "benchmark", {}, {}, {}, {}};
  if (sheet.clockHz) where.bench.probe.clockHz = *sheet.clockHz;
  return where;
}

void Line_Overhead(benchmark::State& state) {
  constexpr int kBoards = 40;
  release::LineRules rules;
  rules.startsByItself = false;
  for (auto _ : state) {
    ReleasedGauge gauge(rules);
    const release::Release release = release::readRelease(gauge.file(), release::trustedKeys());
    const sheet::Sheet sheet = release::sheetOf(release, release::releasesFolder(), release::secretsFolder());
    sim::FixtureModel boards;
    boards.rest = 1e9;  // the same board again and again
    SimulatedPlace place(gauge.benchFile(), boards);
    Quick quick;
    line::Station station(release, sheet, placeAt(place, sheet), quick);
    quick.station = &station;
    station.work(1, {});  // the clock is looked for once
    const double before = quick.runs;
    const auto begin = Clock::now();
    station.work(kBoards, {});
    const double all = std::chrono::duration<double>(Clock::now() - begin).count();
    state.counters["ms/board beside its run"] = (all - (quick.runs - before)) * 1000 / kBoards;
    state.counters["ms/board of its run"] = (quick.runs - before) * 1000 / kBoards;
    state.counters["good"] = quick.good;
  }
}
BENCHMARK(Line_Overhead)->Iterations(1)->Unit(benchmark::kSecond);

void Line_Places(benchmark::State& state) {
  const auto count = static_cast<std::size_t>(state.range(0));
  static constexpr std::uint64_t kBoards = 6;
  for (auto _ : state) {
    ReleasedGauge gauge;
    const release::Release release = release::readRelease(gauge.file(), release::trustedKeys());
    const sheet::Sheet sheet = release::sheetOf(release, release::releasesFolder(), release::secretsFolder());
    static_cast<void>(records::Database(records::chosenStore()));
    std::list<SimulatedPlace> places;
    std::list<Quick> watchers;
    std::list<line::Station> stations;
    for (std::size_t i = 0; i < count; ++i) {
      places.emplace_back(gauge.benchFile(), sim::FixtureModel{});
      watchers.emplace_back();
      stations.emplace_back(release, sheet, placeAt(places.back(), sheet), watchers.back());
      watchers.back().station = &stations.back();
    }
    {
      std::vector<std::jthread> threads;
      for (line::Station& station : stations) threads.emplace_back([&] { station.work(kBoards, {}); });
    }
    double longest = 0;
    int good = 0;
    for (SimulatedPlace& place : places) longest = std::max(longest, place.virtualSeconds());
    for (const Quick& each : watchers) good += each.good;
    state.counters["boards/virtual minute"] = good * 60 / longest;
  }
}
BENCHMARK(Line_Places)->Arg(1)->Arg(8)->Iterations(1)->Unit(benchmark::kSecond);

}  // namespace
