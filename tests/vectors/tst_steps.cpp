// SPDX-License-Identifier: GPL-3.0-or-later
//
// Vectors and the parts around a memory: from power-up to the new design, and files that do a step of a plan.
#include "core/vectors/contents.h"
#include "tests/support/gauge_world.h"
#include "tests/support/test_registry.h"
#include "tests/support/two_memories.h"
#include "tests/support/vector_station.h"

using namespace imprimo;
using namespace imprimo::bench;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::vectors;
using namespace imprimo::test;

class VectorStepsTest : public QObject {
  Q_OBJECT
 private slots:
  /// From power-up: the design is put away, the bridge loaded, the flash written and the board started again.
  void theGaugeFromPowerUp() {
    GaugeWorld gauge;
    sheet::Sheet sheet = gauge.sheet();
    {
      GaugeWorld other;
      sheet = withLastSeen(other.sheet(), other.bench());
    }
    sheet.path = gauge.sheet().path;
    VectorWish wish;
    wish.writer.hz = 10e6;
    Wanted wanted = wantedFor(sheet, "boot-flash", Task::Program);
    // Less than all of it, to be quick.
    wanted.image.erase({0x1000, 0x6A0000});
    wish.memories.push_back(wanted);
    std::string text;
    NoProgress nobody;
    writeVectors(
        sheet, wish, {}, [&](std::string_view some) { text += some; }, nobody);
    writeFileAtomically(gauge.path("all.svf"), text);
    Nobody watch;
    NoRecords records;
    const PlayReport report =
        playVectors({gauge.path("all.svf"), 0, false, 0}, gauge.bench().probe(), &sheet, {}, records, watch, {});
    QVERIFY2(report.record.good(), report.record.message.c_str());
    QCOMPARE(gauge.sim().violations(), std::string());
    for (const MemoryImage::Segment& s : wanted.image.segments()) {
      Bytes held(s.bytes.size());
      for (std::size_t i = 0; i < held.size(); ++i) held[i] = gauge.sim().flash("boot-flash").cells().get(s.begin + i);
      QVERIFY(std::equal(held.begin(), held.end(), s.bytes.begin()));
    }
    VERIFY_CONTAINS(text, "Load the bridge into correlator");
    VERIFY_CONTAINS(text, "Let correlator start again");
  }

  /// A route's `load` may be a file of vectors, and so may a step of a configuration card.
  void vectorsDoAStepOfThePlan() {
    std::string load;
    {
      GaugeWorld other;
      const sheet::Sheet sheet = withLastSeen(other.sheet(), other.bench());
      VectorWish wish;
      wish.scope = VectorWish::Scope::Id;
      wish.writer.hz = 5e6;
      wish.memories.push_back(wantedFor(sheet, "boot-flash", Task::Reach));
      NoProgress nobody;
      writeVectors(
          sheet, wish, {}, [&](std::string_view some) { load += some; }, nobody);
    }
    GaugeWorld gauge({}, [](QString& sheet) { sheet.replace("cores/tarn_t40_bridge.bin", "load_bridge.svf"); });
    writeFileAtomically(gauge.path("load_bridge.svf"), load);
    Wanted wanted = wantedFor(gauge.sheet(), "boot-flash", Task::Program);
    QVERIFY(wanted.load->amount.count > 300'000);
    wanted.image.erase({0x1000, 0x6A0000});
    wanted.restart = false;
    const Record record = gauge.work(wanted);
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QCOMPARE(gauge.bench().probe().clockHz(), 10'000'000u);  // the file's 5 MHz were its own
    // The same, written down once more: the file is put in whole.
    sheet::Sheet known = withLastSeen(gauge.sheet(), gauge.bench());
    VectorWish again;
    again.writer.hz = 10e6;
    again.memories.push_back(wanted);
    std::string text;
    NoProgress nobody;
    writeVectors(
        known, again, {}, [&](std::string_view some) { text += some; }, nobody);
    GaugeWorld fresh;
    writeFileAtomically(fresh.path("all.svf"), text);
    Nobody watch;
    NoRecords records;
    const PlayReport report =
        playVectors({fresh.path("all.svf"), 0, false, 0}, fresh.bench().probe(), &known, {}, records, watch, {});
    QVERIFY2(report.record.good(), report.record.message.c_str());

    // A damaged one is told before the probe is touched, one for another chain before anything is sent.
    writeFileAtomically(gauge.path("load_bridge.svf"), load.substr(0, load.size() / 2));
    VERIFY_CONTAINS(errorOf([&] { wantedFor(gauge.sheet(), "boot-flash", Task::Program); }), "load_bridge.svf:");
    writeFileAtomically(gauge.path("load_bridge.svf"), std::string("SIR 8 TDI (FF);\n"));
    GaugeWorld third({}, [](QString& sheet) { sheet.replace("cores/tarn_t40_bridge.bin", "load_bridge.svf"); });
    writeFileAtomically(third.path("load_bridge.svf"), std::string("SIR 8 TDI (FF);\n"));
    const Record refused = third.work(wantedFor(third.sheet(), "boot-flash", Task::Program));
    QCOMPARE(refused.outcome, Outcome::Refused);
    VERIFY_CONTAINS(refused.message, "the instruction scan has 8 bits");
  }

  void aCardPlaysAFile() {
    GaugeWorld gauge;
    const std::string card = gauge.path("parts/plays.json");
    writeFileAtomically(card, std::string(R"({"imprimo_configuration": 1, "name": "by vectors", "part": "TARN_T40",
      "status": {"instruction": "FAB_STATUS", "size": 16, "bits": {"1": "clear"}},
      "configure": [{"play": "clear.svf"}, {"expect": {"clear": 1}}]})"));
    writeFileAtomically(gauge.path("parts/clear.svf"),
                        std::string("SIR 18 TDI (3FE1F);\nRUNTEST IDLE 100 TCK 0.01 SEC;\nSIR 18 TDI (3FFFF);\n"));
    sheet::Sheet sheet = gauge.sheet();
    sheet.chain[1].configCard = "parts/plays.json";
    ConfigureWish wish;
    wish.position = 2;
    const auto config = deviceConfig(sheet, 2);
    QVERIFY(!actionsOf(*config).front().needsFile);
    const auto job = prepareConfigure(config, wish, 10'000'000);
    COMPARE_TEXT(job->plan.steps[1].title, "Play clear.svf");
    QVERIFY(job->plan.steps[1].bits() >= 136);
    NoRecords records;
    RunObserver nobody;
    const Record record = *run::carryOut(*job, gauge.bench(), records, nobody, {});
    QVERIFY2(record.good(), record.message.c_str());
    COMPARE_TEXT(gauge.sim().violations(), "");
    // What does not compare is told with its line.
    writeFileAtomically(gauge.path("parts/clear.svf"), std::string("\nSIR 18 TDI (3FFFF) TDO (0);\n"));
    const auto wrong = prepareConfigure(deviceConfig(sheet, 2), wish, 10'000'000);
    const Record differs = *run::carryOut(*wrong, gauge.bench(), records, nobody, {});
    QVERIFY(!differs.good());
    VERIFY_CONTAINS(differs.message, "clear.svf:2:1");
    writeFileAtomically(gauge.path("parts/clear.svf"), std::string("RUNTEST 5 SCK;\n"));
    VERIFY_CONTAINS(errorOf([&] { prepareConfigure(deviceConfig(sheet, 2), wish, 10'000'000); }), "needs a clock SCK");
  }

  /// Two memories behind two parts in one file: the padding changes in between.
  void severalMemoriesInOneFile() {
    TwoMemories two;
    const sheet::Sheet& sheet = two.sheet();
    sim::Bench& bench = two.sim();
    VectorWish wish;
    wish.writer.hz = 10e6;
    const MemoryImage images[] = {someImage(1), someImage(2, 0x40100, 700)};
    for (int i = 0; i < 2; ++i) {
      Wanted& wanted = wish.memories.emplace_back();
      wanted.memory = i == 0 ? "one" : "two";
      wanted.image = images[i];
    }
    std::string text;
    NoProgress nobody;
    writeVectors(
        sheet, wish, {}, [&](std::string_view some) { text += some; }, nobody);
    writeFileAtomically(two.path("both.svf"), text);
    probe::DapProbe probe(std::make_unique<LoopTransport>(bench), probe::ProbeOptions{});
    Nobody watch;
    NoRecords records;
    const PlayReport report = playVectors({two.path("both.svf"), 0, false, 0}, probe, &sheet, {}, records, watch, {});
    QVERIFY2(report.record.outcome == Outcome::Played, report.record.message.c_str());
    COMPARE_TEXT(bench.violations(), "");
    svf::Reader reader(svf::sourceOf(text), "f");
    const VectorContents contents = contentsOf(reader);
    QCOMPARE(contents.memories.size(), 2u);
    for (int i = 0; i < 2; ++i) {
      const AddressRange range = images[i].extent();
      const auto& memory = contents.memories[static_cast<std::size_t>(i)];
      COMPARE_TEXT(memory.name, i == 0 ? "one" : "two");
      QCOMPARE(memory.held().bytes(range), images[i].bytes(range));
      for (std::uint64_t at = range.begin; at < range.end; ++at)
        QCOMPARE(bench.flash(memory.name).cells().get(at), images[i].at(at).value());
    }
  }
};

IMPRIMO_TEST(VectorStepsTest);

#include "tst_steps.moc"
