// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the work costs on the bus, in exact virtual time: 8 MiB over the bridge, the FPGA second of three parts, packets
// of 512 bytes with 4 in flight, 10 MHz, 250 µs for each packet whose answer is waited for.
#include <benchmark/benchmark.h>

#include <QTemporaryDir>
#include <random>

#include "core/probe/dap/dap_probe.h"
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
  std::map<plan::StepKind, Counts> steps;

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

/// What the part holds is read, as the window does it. The bridge's mark proves from then on that it still holds;
/// without one all that is planned is read again.
void learn(World& world) {
  plan::Wanted all = world.wanted(plan::Task::Read);
  all.all = true;
  world.carryOut(all);
}

/// All blocks differ, contents known, everything written and confirmed.
void programAll(benchmark::State& state, const char* faults) {
  const Bytes bytes = randomContents();
  for (auto _ : state) {
    World world(options(faults));
    world.flash().cells().fill(0, kSize, 0x00);
    learn(world);
    MemoryImage image;
    image.write(0, bytes);
    Meter meter(world.sim());
    const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image), {}, &meter);
    if (record.outcome != run::Outcome::Verified || !world.sim().violations().empty())
      state.SkipWithError("the run failed");
    const auto& write = meter.steps.at(plan::StepKind::Write);
    const auto& confirm = meter.steps.at(plan::StepKind::Confirm);
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

/// What cannot be done faster: the bits that the part itself needs, at TCK, and the times that it really took. `read`
/// is what has to be read.
double physicalSeconds(World& world, const plan::Plan& plan, std::uint64_t read, double busyBefore) {
  double bits = 0;
  for (const plan::Step& step : plan.steps) {
    for (const memory::PageWrite& page : step.pages) bits += 8.0 * static_cast<double>(1 + 4 + page.bytes.size());
    bits += 8.0 * 5 * static_cast<double>(step.erases.size());
  }
  bits += 8.0 * static_cast<double>(read);
  return bits / 10e6 + world.flash().busySeconds() - busyBefore;
}

struct LastPlan : run::RunObserver {
  void planned(const plan::PlanPtr& p) override { plan = *p; }
  plan::Plan plan;
};

/// One run over known contents, from its first packet to its last, against the physical sum. What is changed has to be
/// read twice before it and once behind it, whatever was known.
void whole(benchmark::State& state, const Bytes& old, const Bytes& wanted, const char* faults, bool marks = true) {
  for (auto _ : state) {
    World world(options(faults));
    world.fill(0, old);
    learn(world);
    MemoryImage image;
    image.write(0, wanted);
    if (!marks) world.sim().board().device(1).bridge()->configured();
    LastPlan last;
    const double begin = sim::toSeconds(world.sim().board().now());
    const double busy = world.flash().busySeconds();
    plan::Wanted job = world.wanted(plan::Task::Program, image);
    const run::Record record = world.carryOut(job, {}, &last);
    if (record.outcome != run::Outcome::Verified || !world.sim().violations().empty())
      state.SkipWithError("the run failed");
    const double took = sim::toSeconds(world.sim().board().now()) - begin;
    RangeSet changed;
    for (const plan::BlockPlan& block : last.plan.blocks) {
      if (block.fate != plan::BlockFate::Agrees) changed.add(block.range);
    }
    const std::uint64_t again = marks ? 0 : kSize - changed.size();
    const double physical = physicalSeconds(world, last.plan, 3 * changed.size() + again, busy);
    const double bare = physicalSeconds(world, last.plan, changed.size(), busy);
    state.counters["virtual_s"] = took;
    state.counters["physical_s"] = physical;
    state.counters["time_vs_physical"] = took / physical;
    state.counters["time_vs_erase_program_readback"] = took / bare;
    state.counters["packets"] = static_cast<double>(world.sim().packets());
  }
}

void BM_EraseProgramConfirm8MiB(benchmark::State& state) {
  whole(state, Bytes(kSize, 0x00), randomContents(), "");
}
void BM_EraseProgramConfirm8MiB_busyTimesVaryBy10Percent(benchmark::State& state) {
  whole(state, Bytes(kSize, 0x00), randomContents(), R"(, "faults": [{"kind": "jitter", "mask": 10}])");
}
void BM_EraseProgramConfirm8MiB_halfTheTypicalTimes(benchmark::State& state) {
  whole(state, Bytes(kSize, 0x00), randomContents(), R"(, "pace": 0.5)");
}
void oneChangedBlock(benchmark::State& state, bool marks) {
  const Bytes old = randomContents();
  Bytes wanted = old;
  std::mt19937 random(2);
  for (std::size_t i = 0x3000; i < 0x4000; ++i) wanted[i] = static_cast<std::uint8_t>(random() % 255);
  whole(state, old, wanted, "", marks);
}
void BM_OneChangedBlockOf8MiB(benchmark::State& state) {
  oneChangedBlock(state, true);
}
void BM_OneChangedBlockOf8MiB_withoutAMark(benchmark::State& state) {
  oneChangedBlock(state, false);
}

/// The same bytes with smaller and larger packets.
void BM_Read1MiB(benchmark::State& state) {
  for (auto _ : state) {
    WorldOptions o;
    o.packetSize = static_cast<std::size_t>(state.range(0));
    o.packetCount = static_cast<std::size_t>(state.range(1));
    World world(o);
    world.bench().at("boot-flash").memory();
    plan::Wanted wanted = world.wanted(plan::Task::Read);
    wanted.all = true;
    Meter meter(world.sim());
    world.carryOut(wanted, {}, &meter);
    const auto& read = meter.steps.at(plan::StepKind::Read);
    state.counters["packets_per_KiB"] = static_cast<double>(read.packets) / 1024;
    state.counters["ShiftDR_per_byte"] = static_cast<double>(read.shift) / (1 << 20);
    state.counters["time_vs_shift"] = read.seconds / (static_cast<double>(read.shift) / 10e6);
  }
}

BENCHMARK(BM_Program8MiB)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Program8MiB_busyTimesVaryBy10Percent)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_EraseProgramConfirm8MiB)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_EraseProgramConfirm8MiB_busyTimesVaryBy10Percent)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_EraseProgramConfirm8MiB_halfTheTypicalTimes)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_OneChangedBlockOf8MiB)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_OneChangedBlockOf8MiB_withoutAMark)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Read1MiB)
    ->ArgNames({"packet", "count"})
    ->Args({64, 1})
    ->Args({64, 4})
    ->Args({512, 4})
    ->Args({4096, 16})
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);

}  // namespace
