// SPDX-License-Identifier: GPL-3.0-or-later
//
// What work on a core costs, in exact virtual time: 10 MHz, packets of 512 bytes with 4 in flight, 250 µs for each
// packet whose answer is waited for. The flash has 256 KiB in sectors of 4 KiB: 45 ms to erase one, 80 ms for all, 20
// µs for a word; the core runs at 48 MHz.
#include <benchmark/benchmark.h>

#include <fmt/format.h>

#include <random>

#include "core/base/error.h"
#include "tests/support/core_world.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;

constexpr std::uint32_t kFlash = 0x40000, kSector = 0x1000, kRam = 0x20000000, kDownload = 0x3000;
constexpr double kHz = 10e6, kErase = 0.045, kEraseAll = 0.080, kWord = 20e-6;
constexpr double kClocksPerByte = 11.5;  // a word is 46 clocks on SWD

CoreWorldOptions options(bool jtag, bool atomic) {
  CoreWorldOptions o;
  o.jtag = jtag;
  o.probe = fmt::format(R"(, "latency_us": 250, "atomic_commands": {})", atomic);
  o.core = R"(, "clock": 48000000)";
  o.times = fmt::format(R"({{"sector": {}, "all": {}, "word": {}}})", kErase, kEraseAll, kWord);
  return o;
}

Bytes randomBytes(std::size_t size, unsigned seed) {
  std::mt19937 random(seed);
  Bytes bytes(size);
  for (auto& b : bytes) b = static_cast<std::uint8_t>(random() % 255);
  return bytes;
}

/// What a piece of work took.
struct Took {
  double seconds = 0, clocks = 0, packets = 0;
};

template <typename Work>
Took took(CoreWorld& world, Work&& work) {
  sim::Board& board = world.sim().board();
  const sim::Time time = board.now();
  const std::uint64_t clocks = board.clocks(), packets = world.sim().packets();
  work();
  return {sim::toSeconds(board.now() - time), static_cast<double>(board.clocks() - clocks),
          static_cast<double>(world.sim().packets() - packets)};
}

/// `jtag`, `atomic`: see options().
void BM_CoreRam(benchmark::State& state) {
  const bool jtag = state.range(0) != 0, atomic = state.range(1) != 0;
  const Bytes bytes = randomBytes(kDownload, 1);
  for (auto _ : state) {
    CoreWorld world(options(jtag, atomic));
    debug::MemAp& bus = world.bench().core("core").bus();
    bus.writeWord(kRam, 0);
    Bytes back(kDownload);
    const Took written = took(world, [&] { bus.write(kRam, bytes); });
    const Took read = took(world, [&] { bus.read(kRam, back); });
    if (back != bytes || !world.sim().violations().empty()) state.SkipWithError("the bytes did not come back");
    const double kib = kDownload / 1024.0;
    state.counters["clocks_per_byte_written"] = written.clocks / kDownload;
    state.counters["clocks_per_byte_read"] = read.clocks / kDownload;
    state.counters["packets_per_KiB_written"] = written.packets / kib;
    state.counters["packets_per_KiB_read"] = read.packets / kib;
    // 35 bits, one each of the two other devices, and four clocks from Update-DR to Shift-DR and from there to
    // Update-DR.
    const double physical = jtag ? (35 + 2 + 4) * kDownload / 4.0 : kClocksPerByte * kDownload;
    state.counters["written_vs_physical_time"] = written.seconds / (physical / kHz);
    state.counters["read_vs_physical_time"] = read.seconds / (physical / kHz);
  }
}

run::Record program(CoreWorld& world, const Bytes& bytes, run::RunObserver* observer = nullptr) {
  MemoryImage image;
  image.write(0, bytes);
  return world.carryOut(world.wanted(plan::Task::Program, image), {}, observer);
}

/// All of the flash, which is blank; `0`: it holds something else, and is erased as a whole.
void BM_CoreFlashWhole(benchmark::State& state) {
  const bool jtag = state.range(0) != 0, blank = state.range(1) != 0;
  const Bytes bytes = randomBytes(kFlash, 2), old = randomBytes(kFlash, 3);
  for (auto _ : state) {
    CoreWorld world(options(jtag, true));
    if (!blank) std::copy(old.begin(), old.end(), world.chip().flash().begin());
    bench::BenchCore& core = world.bench().core("core");
    memory::Memory& flash = world.bench().at("program").memory();
    core.core().halt();
    NoProgress nobody;
    const Took all = took(world, [&] {
      if (!blank) {
        const std::size_t whole = flash.geometry().erase.size() - 1;
        const std::vector<memory::EraseBlock> everything{{{0, kFlash}, whole}};
        flash.erase(everything, nobody);
      }
      std::vector<memory::PageWrite> pages;
      for (std::uint32_t at = 0; at < kFlash; at += 256)
        pages.push_back({at, Bytes(bytes.begin() + at, bytes.begin() + at + 256)});
      flash.program(pages, nobody);
    });
    if (world.chip().flash() != bytes) state.SkipWithError("the flash does not hold it");
    const double own = kFlash / 4 * kWord + (blank ? 0 : kEraseAll);
    const double wire = jtag ? (35 + 2 + 4) * kFlash / 4.0 / kHz : kClocksPerByte * kFlash / kHz;
    state.counters["seconds"] = all.seconds;
    state.counters["vs_larger_of_wire_and_flash"] = all.seconds / std::max(own, wire);
    state.counters["limit_1.10x_plus_50ms"] = all.seconds / (1.10 * std::max(own, wire) + 0.05);
  }
}

/// Where the time of a run goes.
struct StepTimes : run::RunObserver {
  explicit StepTimes(sim::Bench& bench) : bench_(bench) {}
  void stepStarted(std::size_t) override { begin_ = bench_.board().now(); }
  void stepFinished(std::size_t, const run::RanStep& ran) override {
    ms[plan::nameOf(ran.step.kind)] += 1000 * sim::toSeconds(bench_.board().now() - begin_);
  }
  std::map<std::string, double> ms;

 private:
  sim::Bench& bench_;
  sim::Time begin_ = 0;
};

/// A whole run, on a bench that is connected: nothing differs, and then one sector does.
void BM_CoreFlashDiffers(benchmark::State& state) {
  const bool jtag = state.range(0) != 0;
  Bytes bytes = randomBytes(kFlash, 4);
  for (auto _ : state) {
    CoreWorld world(options(jtag, true));
    std::copy(bytes.begin(), bytes.end(), world.chip().flash().begin());
    Bytes back(kFlash);
    debug::MemAp& bus = world.bench().core("core").bus();
    bus.readWord(0);
    const Took read = took(world, [&] { bus.read(0, back); });
    const Took nothing = took(world, [&] {
      if (!program(world, bytes).good()) state.SkipWithError("the run failed");
    });
    Bytes next = bytes;
    for (std::size_t i = 0; i < kSector; ++i) next[0x12000 + i] ^= 0x5A;
    CoreWorld other(options(jtag, true));
    std::copy(bytes.begin(), bytes.end(), other.chip().flash().begin());
    other.bench().core("core");
    StepTimes steps(other.sim());
    const Took one = took(other, [&] {
      if (!program(other, next, &steps).good()) state.SkipWithError("the run failed");
    });
    for (const auto& [name, ms] : steps.ms) state.counters["ms_of_" + name] = ms;
    if (other.chip().flash() != next || other.chip().journal() != "erase 0x00012000\n")
      state.SkipWithError("another sector was erased");
    const double least = kErase + kSector / 4 * kWord + read.seconds / (kFlash / kSector);
    state.counters["nothing_differs_vs_reading"] = nothing.seconds / read.seconds;
    state.counters["one_sector_vs_its_erase_program_read"] = one.seconds / least;
    state.counters["ms_nothing"] = 1000 * nothing.seconds;
    state.counters["ms_one_sector"] = 1000 * one.seconds;
  }
}

BENCHMARK(BM_CoreRam)
    ->ArgNames({"jtag", "atomic"})
    ->Args({0, 1})
    ->Args({0, 0})
    ->Args({1, 1})
    ->Args({1, 0})
    ->Iterations(1);
BENCHMARK(BM_CoreFlashWhole)
    ->ArgNames({"jtag", "blank"})
    ->Args({0, 1})
    ->Args({0, 0})
    ->Args({1, 1})
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(BM_CoreFlashDiffers)->ArgNames({"jtag"})->Args({0})->Args({1})->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace
