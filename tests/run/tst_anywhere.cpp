// SPDX-License-Identifier: GPL-3.0-or-later
//
// A probe that is somebody else's: the whole job with any packet size and count, any chain, the FPGA anywhere in it.
#include "core/run/runner.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

WorldOptions anyWorld(std::mt19937& random) {
  WorldOptions options;
  options.chain.clear();
  const std::size_t parts = 1 + below(random, 20);
  for (std::size_t i = 0; i < parts; ++i)
    options.chain.push_back({static_cast<unsigned>(2 + below(random, 15)), random() % 3 != 0});
  options.fpga = 1 + below(random, parts);
  const std::size_t sizes[] = {64, 65, 127, 512, 1000, 4096};
  options.packetSize = sizes[below(random, 6)];
  options.packetCount = 1 + below(random, 16);
  const std::uint32_t clocks[] = {400'000, 1'000'000, 10'000'000, 40'000'000};
  options.clock = clocks[below(random, 4)];
  options.flash =
      R"("size": "256K", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]},
    "faults": [{"kind": "jitter", "mask": 20}])";
  options.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x1400", "to": "0x14FF"}])";
  return options;
}

}  // namespace

class AnywhereTest : public QObject {
  Q_OBJECT
 private slots:
  void programsThroughAnyChainAndProbe() {
    for (unsigned seed = 0; seed < 30; ++seed) {
      std::mt19937 random(seed);
      World world(anyWorld(random));
      Bytes cells = randomBytes(random, 0x4000);
      world.fill(0, cells);
      const std::size_t at = 0x1500 + below(random, 0x400);
      const Bytes fresh = randomBytes(random, 0x1800);
      MemoryImage image;
      image.write(at, fresh);
      std::copy(fresh.begin(), fresh.end(), cells.begin() + static_cast<long>(at));
      const Record record = world.carryOut(world.wanted(Task::Program, image));
      QVERIFY2(record.outcome == Outcome::Verified,
               qPrintable(QString("seed %1: ").arg(seed) + QString::fromStdString(record.message)));
      QCOMPARE(world.cells(0, 0x4000), cells);
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  /// The FPGA first, last and alone: the answer's place depends on it.
  void everyPositionOfASmallChain() {
    for (std::size_t parts = 1; parts <= 4; ++parts) {
      for (std::size_t fpga = 1; fpga <= parts; ++fpga) {
        WorldOptions options;
        options.chain.assign(parts, {5, true});
        options.fpga = fpga;
        World world(options);
        std::mt19937 random(7);
        const Bytes data = randomBytes(random, 5000);
        world.fill(0x700, data);
        Wanted wanted = world.wanted(Task::Read);
        wanted.ranges = {{0x700, 0x700 + data.size()}};
        QCOMPARE(world.carryOut(wanted).outcome, Outcome::Read);
        QCOMPARE(world.bench().at("boot-flash").contents().bytes(wanted.ranges[0]), data);
      }
    }
  }

  void shiftCyclesStayNearTheWire() {
    World world;
    std::mt19937 random(8);
    MemoryImage image;
    Bytes bytes = randomBytes(random, 0x20000);
    for (auto& b : bytes) b = b == 0xFF ? 0 : b;
    image.write(0, bytes);
    struct Meter : RunObserver {
      explicit Meter(World& w) : world(w) {}
      void planned(const PlanPtr& p) override { plan = *p; }
      void stepStarted(std::size_t) override { begin = world.sim().board().dataClocks(); }
      void stepFinished(std::size_t, const RanStep& ran) override {
        cycles[ran.step.kind] = static_cast<double>(world.sim().board().dataClocks() - begin) / 0x20000;
      }
      World& world;
      Plan plan;
      std::uint64_t begin = 0;
      std::map<StepKind, double> cycles;
    } meter(world);
    QCOMPARE(world.carryOut(world.wanted(Task::Program, image), {}, &meter).outcome, Outcome::Verified);
    QVERIFY2(meter.cycles.at(StepKind::Write) <= 9.0, qPrintable(QString::number(meter.cycles.at(StepKind::Write))));
    QVERIFY2(meter.cycles.at(StepKind::Confirm) <= 8.1,
             qPrintable(QString::number(meter.cycles.at(StepKind::Confirm))));
  }
};
IMPRIMO_TEST(AnywhereTest);
#include "tst_anywhere.moc"
