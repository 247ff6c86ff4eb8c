// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the work costs on the bus, in exact virtual time: 8 MiB over the bridge, the FPGA second of three parts, packets
// of 512 bytes with 4 in flight, 10 MHz, 250 µs for each packet whose answer is waited for.
#include <benchmark/benchmark.h>

#include <QTemporaryDir>
#include <random>

#include "core/probe/dap_probe.h"
#include "tests/support/loop_transport.h"
#include "tests/support/world.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;

constexpr std::size_t kSize = 8u << 20;

WorldOptions options(const char* faults) {
  WorldOptions o;
  o.flash =
      R"("size": "8M", "times": {"page": [0.0004, 0.003], "4K": [0.045, 0.4], "32K": [0.12, 1.6], "64K": [0.15, 2.0], "chip": [20, 100]})";
  o.flash += faults;
  return o;
}

/// Counts at the edges of steps.
struct Meter : run::RunObserver {
  explicit Meter(sim::Bench& bench) : bench_(bench) {}
  void stepStarted(std::size_t) override { begin_ = now(); }
  void stepFinished(std::size_t, const run::RanStep& ran) override {
    const Counts end = now();
    Counts& sum = steps[ran.step.kind];
    sum.seconds += end.seconds - begin_.seconds;
    sum.shift += end.shift - begin_.shift;
    sum.packets += end.packets - begin_.packets;
    sum.clocks += end.clocks - begin_.clocks;
  }
  struct Counts {
    double seconds = 0;
    std::uint64_t shift = 0, packets = 0, clocks = 0;
  };
  Counts now() const {
    return {sim::toSeconds(bench_.board().now()), bench_.board().dataClocks(), bench_.packets(),
            bench_.board().clocks()};
  }
  std::map<run::StepKind, Counts> steps;

 private:
  sim::Bench& bench_;
  Counts begin_;
};

Bytes randomContents() {
  std::mt19937 random(1);
  Bytes bytes(kSize);
  for (auto& b : bytes) b = static_cast<std::uint8_t>(random() % 255);  // no blank bytes: every one has to be written
  return bytes;
}

/// All blocks differ, contents known, everything written and confirmed.
void programAll(benchmark::State& state, const char* faults) {
  const Bytes bytes = randomContents();
  for (auto _ : state) {
    World world(options(faults));
    const Bytes old(kSize, 0x00);
    world.flash().cells().fill(0, kSize, 0x00);
    world.bench().identify("boot-flash");
    world.bench().contents("boot-flash").write(0, old);
    MemoryImage image;
    image.write(0, bytes);
    Meter meter(world.sim());
    const run::Record record = world.carryOut(world.wanted(run::Task::Program, image), {}, &meter);
    if (record.outcome != run::Outcome::Verified || !world.sim().violations().empty())
      state.SkipWithError("the run failed");
    const auto& write = meter.steps.at(run::StepKind::Write);
    const auto& confirm = meter.steps.at(run::StepKind::Confirm);
    const double pages = kSize / 256.0;
    const double busy = pages * 0.0004 * world.flash().model().pace;
    const double ideal = static_cast<double>(write.shift) / 10e6 + busy;
    state.counters["ShiftDR_per_byte_written"] = static_cast<double>(write.shift) / kSize;
    state.counters["write_time_vs_shift_plus_busy"] = write.seconds / ideal;
    state.counters["packets_per_KiB_written"] = static_cast<double>(write.packets) / (kSize / 1024.0);
    state.counters["ShiftDR_per_byte_read"] = static_cast<double>(confirm.shift) / kSize;
    state.counters["packets_per_KiB_read"] = static_cast<double>(confirm.packets) / (kSize / 1024.0);
    state.counters["read_time_vs_shift"] = confirm.seconds / (static_cast<double>(confirm.shift) / 10e6);
    state.counters["virtual_s_write"] = write.seconds;
    state.counters["virtual_s_read"] = confirm.seconds;
  }
}

void BM_Program8MiB(benchmark::State& state) {
  programAll(state, "");
}
void BM_Program8MiB_busyTimesVaryBy10Percent(benchmark::State& state) {
  programAll(state, R"(, "faults": [{"kind": "jitter", "mask": 10}])");
}

/// The same bytes with smaller and larger packets.
void BM_Read1MiB(benchmark::State& state) {
  for (auto _ : state) {
    WorldOptions o;
    o.packetSize = static_cast<std::size_t>(state.range(0));
    o.packetCount = static_cast<std::size_t>(state.range(1));
    World world(o);
    world.bench().memory("boot-flash");
    run::Wanted wanted = world.wanted(run::Task::Read);
    wanted.all = true;
    Meter meter(world.sim());
    world.carryOut(wanted, {}, &meter);
    const auto& read = meter.steps.at(run::StepKind::Read);
    state.counters["packets_per_KiB"] = static_cast<double>(read.packets) / 1024;
    state.counters["ShiftDR_per_byte"] = static_cast<double>(read.shift) / (1 << 20);
    state.counters["time_vs_shift"] = read.seconds / (static_cast<double>(read.shift) / 10e6);
  }
}

BENCHMARK(BM_Program8MiB)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Program8MiB_busyTimesVaryBy10Percent)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Read1MiB)
    ->ArgNames({"packet", "count"})
    ->Args({64, 1})
    ->Args({64, 4})
    ->Args({512, 4})
    ->Args({4096, 16})
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);

}  // namespace
