// SPDX-License-Identifier: GPL-3.0-or-later
//
// Descriptions and chains: how fast BSDL is read and found, how many packets an examination takes, how well an
// adapter's byte stream uses TCK.
#include <benchmark/benchmark.h>

#include <QDir>
#include <QFile>
#include <QTemporaryDir>
#include <cstring>
#include <random>

#include "core/base/atomic_file.h"
#include "core/bsdl/library.h"
#include "core/probe/mpsse/mpsse_probe.h"
#include "tests/support/loop_transport.h"
#include "tests/support/random_bsdl.h"
#include "tests/support/world.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;

void BM_BsdlOf2000Cells(benchmark::State& state) {
  std::mt19937 random(7);
  const std::string text = randomDevice(random, "REED_2000", 2000).text;
  for (auto _ : state) benchmark::DoNotOptimize(bsdl::parse(text, "bench").cells.size());
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * text.size()));
  state.counters["KiB"] = static_cast<double>(text.size()) / 1024;
}
BENCHMARK(BM_BsdlOf2000Cells)->Unit(benchmark::kMillisecond);

void BM_MemcpyOfAsMuch(benchmark::State& state) {
  std::mt19937 random(7);
  const std::string text = randomDevice(random, "REED_2000", 2000).text;
  std::string copy(text.size(), '\0');
  for (auto _ : state) {
    std::memcpy(copy.data(), text.data(), text.size());
    benchmark::ClobberMemory();
  }
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * text.size()));
}
BENCHMARK(BM_MemcpyOfAsMuch)->Unit(benchmark::kMillisecond);

/// 2 000 files of 20 to 400 cells.
const QTemporaryDir& libraryOf2000() {
  static const auto folder = [] {
    auto made = std::make_unique<QTemporaryDir>();
    std::mt19937 random(9);
    for (int i = 0; i < 2000; ++i) {
      const std::string name = "REED_" + std::to_string(i);
      writeFileAtomically((QDir(made->path()).mkpath("parts"),
                           made->filePath("parts/" + QString::fromStdString(name) + ".bsd").toStdString()),
                          randomDevice(random, name, 20 + random() % 380).text);
    }
    return made;
  }();
  return *folder;
}

void BM_Library(benchmark::State& state, bool fromCache) {
  const std::string devices = libraryOf2000().filePath("parts").toStdString();
  const QString cache = libraryOf2000().filePath("index");
  std::size_t skimmed = 0, size = 0;
  for (auto _ : state) {
    state.PauseTiming();
    if (!fromCache) QFile::remove(cache);
    state.ResumeTiming();
    bsdl::Library found(cache.toStdString());
    found.addFolder(devices);
    found.keepCache();
    skimmed = found.skimmed();
    size = found.size();
  }
  state.counters["files"] = static_cast<double>(size);
  state.counters["read"] = static_cast<double>(skimmed);
}
BENCHMARK_CAPTURE(BM_Library, indexed, false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(BM_Library, fromCache, true)->Unit(benchmark::kMillisecond);

void BM_ExaminationOf20Parts(benchmark::State& state) {
  WorldOptions options;
  options.chain.assign(20, {16, true});
  options.packetSize = static_cast<std::size_t>(state.range(0));
  options.packetCount = 1;  // every packet is a round trip
  double packets = 0, milliseconds = 0;
  for (auto _ : state) {
    World world(options);
    world.bench();
    const auto before = world.sim().packets();
    const auto began = world.sim().board().now();
    world.bench().examine();
    packets = static_cast<double>(world.sim().packets() - before);
    milliseconds = sim::toSeconds(world.sim().board().now() - began) * 1000;
  }
  state.counters["round_trips"] = packets;
  state.counters["virtual_ms"] = milliseconds;
}
BENCHMARK(BM_ExaminationOf20Parts)->Arg(64)->Arg(512)->Iterations(3)->Unit(benchmark::kMillisecond);

void BM_MpsseLongShifts(benchmark::State& state, bool readBack) {
  World world;
  auto owned = std::make_unique<LoopStream>(world.sim());
  LoopStream& stream = *owned;
  probe::MpsseProbe probe(std::move(owned), probe::genericAdapter(), {});
  jtag::ScanBatch batch;
  readBack ? batch.exchange(jtag::Register::Data, BitVector(1 << 20, false))
           : batch.send(jtag::Register::Data, BitVector(1 << 20, false));
  double used = 0, reads = 0;
  for (auto _ : state) {
    const auto bytes = stream.written, asked = stream.reads;
    const auto clocks = world.sim().board().clocks();
    probe.run(batch);
    used = static_cast<double>(world.sim().board().clocks() - clocks) /
           (8.0 * static_cast<double>(stream.written - bytes));
    reads = static_cast<double>(stream.reads - asked);
  }
  state.counters["tck_slots_used"] = used;
  state.counters["answers_waited_for"] = reads;
}
BENCHMARK_CAPTURE(BM_MpsseLongShifts, out, false)->Iterations(5)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(BM_MpsseLongShifts, outAndIn, true)->Iterations(5)->Unit(benchmark::kMillisecond);

}  // namespace
