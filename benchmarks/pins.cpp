// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a flash behind pins costs, in exact virtual time: a boundary register of 300 cells, the second of three devices,
// packets of 512 bytes with 4 in flight, 10 MHz, 250 us for each packet whose answer is waited for.
#include <benchmark/benchmark.h>

#include "tests/pins/pins_world.h"
#include "tests/support/check.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;

constexpr int kCells = 300, kOwnCells = 36;
constexpr std::size_t kBytes = 32768;

PinsWorldOptions withLines(unsigned lines) {
  PinsWorldOptions o;
  o.extraCells = kCells - kOwnCells;
  if (lines > 1) o.flash = ", \"lines\": " + std::to_string(lines);
  if (lines == 4) {
    o.nets =
        ", {\"pins\": [\"lark.IO(2)\"], \"flash\": \"boot\", \"wire\": \"wp\", \"pull\": 1}"
        ", {\"pins\": [\"lark.IO(3)\"], \"flash\": \"boot\", \"wire\": \"hold\", \"pull\": 1}";
    o.route = ", \"wp\": \"IO(2)\", \"hold\": \"IO(3)\"";
  }
  return o;
}

/// Reads so many bytes; `lines` of the flash are in use once they are proven.
void BM_ReadThroughPins(benchmark::State& state) {
  for (auto _ : state) {
    PinsWorld world(withLines(static_cast<unsigned>(state.range(0))));
    const Bytes expected = world.fill(kBytes, 1);
    bench::BenchMemory& memory = world.bench().at("boot");
    memory.identify();
    Bytes read(kBytes);
    NoProgress nobody;
    const std::uint64_t clocks = world.board().clocks(), shift = world.board().dataClocks(),
                        packets = world.sim().packets();
    const double begin = sim::toSeconds(world.board().now());
    memory.memory().read(0, read, nobody);
    const double seconds = sim::toSeconds(world.board().now()) - begin;
    if (read != expected || !world.sim().violations().empty()) state.SkipWithError("it reads otherwise");
    const auto shifted = static_cast<double>(world.board().dataClocks() - shift);
    const double scans = shifted / (kCells + 2);
    state.counters["scans_per_bit"] = scans / (8.0 * kBytes);
    state.counters["clocks_per_scan_over_cells_and_devices"] =
        static_cast<double>(world.board().clocks() - clocks) / scans - (kCells + 2);
    state.counters["time_vs_shift"] = seconds / (shifted / 10e6);
    state.counters["packets_per_KiB"] = static_cast<double>(world.sim().packets() - packets) / (kBytes / 1024.0);
  }
}

/// Writes and confirms; a busy part is waited for by its typical times.
void BM_ProgramThroughPins(benchmark::State& state) {
  for (auto _ : state) {
    PinsWorld world(withLines(1));
    world.bench().at("boot").identify();
    MemoryImage image;
    std::mt19937 random(2);
    image.write(0, randomBytes(random, 16384));
    const std::uint64_t shift = world.board().dataClocks();
    const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
    if (!record.good() || !world.sim().violations().empty()) state.SkipWithError("the run failed");
    const auto& commands = world.sim().flash("boot").commands();
    constexpr double kPages = 64, kStatus = 0x05;
    state.counters["scans_per_bit"] =
        static_cast<double>(world.board().dataClocks() - shift) / (kCells + 2) / (8.0 * 16384);
    state.counters["status_reads_per_page"] =
        static_cast<double>(commands.at(static_cast<std::uint8_t>(kStatus))) / kPages;
  }
}

BENCHMARK(BM_ReadThroughPins)
    ->ArgNames({"lines"})
    ->Arg(1)
    ->Arg(2)
    ->Arg(4)
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(BM_ProgramThroughPins)->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace
