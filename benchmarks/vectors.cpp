// SPDX-License-Identifier: GPL-3.0-or-later
//
// Vectors: characters for each byte written, and what writing, reading and playing them costs this computer; beside a
// memcpy of the same bytes in the same run.
#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <QCoreApplication>
#include <QElapsedTimer>
#include <QFile>
#include <QScrollBar>
#include <QTemporaryDir>
#include <cstring>
#include <deque>
#include <random>

#include "app/vectors/vector_list.h"
#include "core/flash/part_card.h"
#include "core/probe/dap/dap_packer.h"
#include "core/svf/survey.h"
#include "core/vectors/contents.h"
#include "core/vectors/export.h"
#include "tests/support/world.h"

namespace {

using namespace imprimo;

constexpr std::size_t kBytes = 8u << 20;
enum Kind { Plain, Confirmed, ShortDigits };

/// A job of 8 MiB through the last of `parts` parts.
struct Job {
  explicit Job(std::size_t devices, Kind kind) : world(options(devices)), sheet(world.sheet()) {
    flash::PartCard card;
    card.name = "made up";
    card.id.maker = 0x7E;
    card.id.device = 0x4017;
    card.geometry.size = kBytes;
    card.geometry.erase = {{4096, 0.045, 0.4}, {65536, 0.15, 2.0}};
    card.commands.erase = {{0x20}, {0xD8}};
    card.geometry.pageTypical = 0.0004;
    card.geometry.pageLongest = 0.003;
    sheet.memories.front().lastSeen = flash::partCardText(card);
    std::mt19937_64 random(1);
    Bytes bytes(kBytes);
    for (std::size_t i = 0; i < kBytes; i += 8) {
      const std::uint64_t word = random();
      std::memcpy(bytes.data() + i, &word, 8);
    }
    MemoryImage image;
    image.write(0, std::move(bytes));
    wish.memories.push_back(world.wanted(plan::Task::Program, image));
    wish.memories.front().noVerify = kind == Plain;
    wish.writer.hz = 10e6;
    wish.writer.shortDigits = kind == ShortDigits;
  }
  static test::WorldOptions options(std::size_t devices) {
    test::WorldOptions o;
    o.chain.assign(devices, {8, true});
    o.fpga = devices;
    o.flash = R"("size": "8M")";
    return o;
  }
  std::uint64_t write(std::string* text = nullptr) {
    NoProgress nobody;
    const vectors::VectorFile file = vectors::writeVectors(
        sheet, wish, {}, [&](std::string_view some) { text != nullptr ? void(text->append(some)) : void(); }, nobody);
    return file.bytes;
  }
  test::World world;
  sheet::Sheet sheet;
  vectors::VectorWish wish;
};

/// What a port has to answer so that a file plays to its end.
std::deque<BitVector> answersFor(const std::string& text) {
  std::deque<BitVector> answers;
  svf::Reader reader(svf::sourceOf(text), "f");
  svf::Statement s;
  while (reader.next(s)) {
    if (s.kind != svf::Statement::Kind::Scan) continue;
    const bool ir = s.field == svf::Field::Sir;
    const svf::PaddedScan scan(reader.value(ir ? svf::Field::Hir : svf::Field::Hdr), reader.value(s.field),
                               reader.value(ir ? svf::Field::Tir : svf::Field::Tdr));
    if (!scan.hasTdo()) continue;
    jtag::BitRange range = svf::extentOf(scan.mask({0, scan.size()}));
    if (scan.size() <= 256) range = {0, scan.size()};
    answers.push_back(scan.tdo(range));
  }
  return answers;
}

/// Gives prepared answers; packs everything as for a probe, if so asked.
class PreparedPort : public jtag::JtagPort {
 public:
  PreparedPort(const std::deque<BitVector>& answers, bool packs) : answers_(answers), packs_(packs) {}
  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override {
    if (packs_) {
      probe::DapPacker* spares = nullptr;
      probe::DapPacker packer(512, [&](probe::DapPacket&& packet) {
        bytes += packet.request.size();
        spares->reuse(std::move(packet));
      });
      spares = &packer;
      packer.add(batch);
      packer.flush();
    }
    jtag::ScanAnswers answers;
    for (const auto& item : batch.items()) {
      const auto* scan = std::get_if<jtag::Scan>(&item);
      if (scan != nullptr && !scan->captures.empty()) answers.push_back(answers_.at(next_++));
    }
    return answers;
  }
  std::uint32_t clockHz() const override { return 10'000'000; }
  std::uint64_t bytes = 0;

 private:
  const std::deque<BitVector>& answers_;
  bool packs_;
  std::size_t next_ = 0;
};

void BM_VectorSize(benchmark::State& state) {
  Job job(static_cast<std::size_t>(state.range(0)), static_cast<Kind>(state.range(1)));
  std::uint64_t bytes = 0;
  for (auto _ : state) bytes = job.write();
  state.counters["characters/byte"] = static_cast<double>(bytes) / kBytes;
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations()) * static_cast<std::int64_t>(bytes));
}

void BM_VectorPlay(benchmark::State& state) {
  Job job(3, static_cast<Kind>(state.range(0)));
  std::string text;
  job.write(&text);
  const std::deque<BitVector> answers = answersFor(text);
  svf::PlayObserver nobody;
  bool whole = true;
  for (auto _ : state) {
    PreparedPort port(answers, state.range(1) != 0);
    svf::Reader reader(svf::sourceOf(text), "f");
    whole = whole && svf::play(reader, port, {}, nobody, {}).end == svf::PlayResult::End::Whole;
  }
  if (!whole) state.SkipWithError("it did not play to its end");
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * text.size()));
  state.counters["s/100MB"] =
      benchmark::Counter(static_cast<double>(text.size()) / 100e6,
                         benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

void BM_VectorSurvey(benchmark::State& state) {
  Job job(3, Confirmed);
  std::string text;
  job.write(&text);
  for (auto _ : state) {
    svf::Reader reader(svf::sourceOf(text), "f");
    benchmark::DoNotOptimize(svf::survey(reader, 10e6));
  }
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * text.size()));
}

void BM_VectorTakeOut(benchmark::State& state) {
  Job job(3, Confirmed);
  std::string text;
  job.write(&text);
  for (auto _ : state) {
    svf::Reader reader(svf::sourceOf(text), "f");
    benchmark::DoNotOptimize(vectors::contentsOf(reader));
  }
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * text.size()));
}

void BM_VectorMemcpy(benchmark::State& state) {
  const std::string from(56u << 20, '5');
  std::string to(from.size(), ' ');
  for (auto _ : state) {
    std::memcpy(to.data(), from.data(), from.size());
    benchmark::DoNotOptimize(to.data());
    benchmark::ClobberMemory();
  }
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * from.size()));
}

double peakMiB() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return static_cast<double>(usage.ru_maxrss) / 1024;
}

/// 600 MB with a scan of 100 Mbit in the middle, made as it is read.
void BM_VectorHugeFile(benchmark::State& state) {
  constexpr std::uint64_t kWhole = 600'000'000, kScanDigits = 25'000'000;
  const std::string line =
      "SDR 2000 TDI (" + std::string(500, 'A') + ");\nRUNTEST IDLE 10 TCK 1E-6 SEC ENDSTATE IDLE;\n";
  double peak = 0;
  for (auto _ : state) {
    std::uint64_t given = 0, digits = 0;
    std::string pending;
    int stage = 0;
    const svf::Source source = [&](std::span<std::uint8_t> into) {
      while (pending.size() < into.size() && stage < 4) {
        if (stage == 1) {
          const std::uint64_t some = std::min<std::uint64_t>(1 << 16, kScanDigits - digits);
          pending.append(some, '9');
          digits += some;
          given += some;
          if (digits == kScanDigits) pending += ");\n", stage = 2;
          continue;
        }
        pending += line;
        given += line.size();
        if (stage == 0 && given > kWhole / 2) pending += "SDR 100000000 TDI (", stage = 1;
        if (stage == 2 && given > kWhole) stage = 4;
      }
      const std::size_t count = std::min(pending.size(), into.size());
      std::memcpy(into.data(), pending.data(), count);
      pending.erase(0, count);
      return count;
    };
    const std::deque<BitVector> none;
    PreparedPort port(none, true);
    svf::Reader reader(source, "f");
    svf::PlayObserver nobody;
    const double before = peakMiB();
    if (svf::play(reader, port, {}, nobody, {}).end != svf::PlayResult::End::Whole) state.SkipWithError("not whole");
    peak = peakMiB() - before;
  }
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * kWhole));
  state.counters["peak MiB"] = peak;
}

/// A file of 500 MB is opened in the window and scrolled through while it is read: how long until its first rows are
/// there, and the longest that anything on screen had to wait.
void BM_VectorOpen(benchmark::State& state) {
  QTemporaryDir folder;
  const QString path = folder.filePath("large.svf");
  {
    QFile file(path);
    if (!file.open(QIODevice::WriteOnly)) state.SkipWithError("no room for the file");
    std::mt19937 random(1);
    QByteArray block;
    for (int i = 0; block.size() < 5'000'000; ++i)
      block += "SDR 2000 TDI (" + QByteArray(500, static_cast<char>('0' + i % 10)) +
               ");\nRUNTEST IDLE 30000 TCK 3.000E-03 SEC ENDSTATE IDLE;\nSDR 59 TDI (000A0FC000202A7) TDO (0) MASK "
               "(400000000000000);\n";
    for (int i = 0; i < 100; ++i) file.write(block);
  }
  app::Workbench bench;
  double opened = 0, longest = 0, scrolled = 0;
  for (auto _ : state) {
    app::VectorDocument document(bench);
    app::VectorList list(document);
    list.resize(800, 600);
    list.show();
    QElapsedTimer timer;
    timer.start();
    document.open(path);
    opened = static_cast<double>(timer.nsecsElapsed()) * 1e-6;
    std::mt19937 random(2);
    while (!document.survey().whole) {
      timer.start();
      QCoreApplication::processEvents(QEventLoop::AllEvents, 1);
      longest = std::max(longest, static_cast<double>(timer.nsecsElapsed()) * 1e-6);
      timer.start();
      list.verticalScrollBar()->setValue(
          static_cast<int>(random() % std::max<std::uint64_t>(1, document.survey().rows)));
      list.grab();
      scrolled = std::max(scrolled, static_cast<double>(timer.nsecsElapsed()) * 1e-6);
    }
  }
  state.counters["open ms"] = opened;
  state.counters["longest wait ms"] = longest;
  state.counters["longest scroll ms"] = scrolled;
}

BENCHMARK(BM_VectorOpen)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_VectorHugeFile)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_VectorSize)->ArgsProduct({{1, 20}, {Plain, Confirmed, ShortDigits}})->Unit(benchmark::kMillisecond);
BENCHMARK(BM_VectorPlay)->ArgsProduct({{Plain, Confirmed, ShortDigits}, {0, 1}})->Unit(benchmark::kMillisecond);
BENCHMARK(BM_VectorSurvey)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_VectorTakeOut)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_VectorMemcpy)->Unit(benchmark::kMillisecond);

}  // namespace
