// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/clock_search.h"
#include "core/probe/dap/dap_probe.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

namespace {

WorldOptions noisyAbove(std::uint32_t hz, double rate) {
  WorldOptions options;
  options.bench =
      QString(R"(, "faults": [{"kind": "tdo-noise", "above": %1, "rate": %2}])").arg(hz).arg(rate).toStdString();
  return options;
}

std::vector<ClockSample> samples(std::initializer_list<std::pair<std::uint32_t, std::uint64_t>> list) {
  std::vector<ClockSample> all;
  for (const auto& [hz, wrong] : list) all.push_back({hz, 1000, wrong, true});
  return all;
}

}  // namespace

class ClockTest : public QObject {
  Q_OBJECT
 private slots:
  void theSuggestionKeepsAMargin() {
    QCOMPARE(suggestedClock(samples({{1, 0}, {5, 0}, {8, 0}, {10, 3}}), 0), 8u);
    QCOMPARE(suggestedClock(samples({{1, 0}, {5, 0}, {9, 0}, {10, 3}}), 0), 5u);
    QCOMPARE(suggestedClock(samples({{1, 0}, {5, 0}, {10, 0}}), 0), 10u);
    QCOMPARE(suggestedClock(samples({{1, 0}, {5, 0}, {10, 0}}), 7), 5u);
    QCOMPARE(suggestedClock(samples({{1, 2}, {5, 90}}), 0), 0u);
    // A rate that seemed sound above one that failed is not believed.
    QCOMPARE(suggestedClock(samples({{1, 0}, {5, 1}, {10, 0}}), 0), 1u);
  }

  void itIsFoundBelowTheNoise() {
    for (const std::uint32_t limit : {3'500'000u, 8'000'000u, 13'000'000u, 22'000'000u}) {
      World world(noisyAbove(limit, 0.002));
      const bench::ClockReport report = world.bench().findClock({}, {});
      QVERIFY(report.chain.suggested != 0 && report.chain.suggested <= limit);
      QVERIFY(report.chain.highestSound <= limit);
      QCOMPARE(static_cast<int>(std::count_if(report.chain.samples.begin(), report.chain.samples.end(),
                                              [](const ClockSample& s) { return !s.sound(); })),
               2);
      QCOMPARE(world.bench().probe().clockHz(), 10'000'000u);  // as before
      const bench::MemoryClock& memory = report.memories.at("boot-flash");
      COMPARE_TEXT(memory.problem, "");
      QVERIFY(memory.suggested != 0 && memory.suggested <= report.chain.suggested);
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  void aQuietBoardGoesAsFastAsWasTried() {
    World world;
    const bench::ClockReport report = world.bench().findClock({}, {});
    QCOMPARE(report.chain.suggested, 30'000'000u);
    VERIFY_CONTAINS(report.chain.why, "no errors up to 30 MHz");
    // Instructions were loaded at the slow clock, and only reads reached the flash.
    for (const auto& [command, count] : world.flash().commands())
      QVERIFY(command == 0x9F || command == 0x5A || command == 0x05);
  }

  void aDevicesOwnLimitIsKept() {
    World world;
    sheet::Sheet sheet = world.sheet();
    auto description = std::make_shared<bsdl::BoundaryDescription>(*sheet.chain[0].description);
    description->tap.highestClock = 9e6;
    sheet.chain[0].description = description;
    bench::Bench& bench = world.bench();
    bench.setSheet(sheet);
    const bench::ClockReport report = bench.findClock({}, {});
    QCOMPARE(report.chain.suggested, 7'500'000u);
    VERIFY_CONTAINS(report.chain.why, "a part's BSDL allows 9 MHz");
  }

  void aHopelessCableIsToldAndStopStops() {
    World world(noisyAbove(0, 0.02));
    jtag::Chain chain(world.bench().chain().port(), {8, 6, 4});
    const ClockSearch search = searchClock(world.bench().probe(), chain, {});
    QCOMPARE(search.suggested, 0u);
    VERIFY_CONTAINS(search.why, "bits are wrong even at 1 MHz");
    std::stop_source stop;
    stop.request_stop();
    World quiet;
    QCOMPARE(kindOf([&] { quiet.bench().findClock({}, stop.get_token()); }), std::optional{ErrorKind::Stopped});
  }

  void aMemoryWithAClockOfItsOwnIsSpokenToAtIt() {
    World world;
    sheet::Sheet sheet = world.sheet();
    sheet.memories[0].clockHz = 2'000'000;
    bench::Bench& bench = world.bench();
    bench.setSheet(sheet);
    bench.examine();
    QCOMPARE(bench.probe().clockHz(), 10'000'000u);
    bench.at("boot-flash").identify();
    QCOMPARE(bench.probe().clockHz(), 2'000'000u);
    bench.checkLink(5);
    QCOMPARE(bench.probe().clockHz(), 10'000'000u);
  }
};
IMPRIMO_TEST(ClockTest);
#include "tst_clock.moc"
