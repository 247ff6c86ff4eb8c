// SPDX-License-Identifier: GPL-3.0-or-later
//
// Targets that get their power late, never, or lose it in the middle of a run.
#include "core/run/runner.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

MemoryImage image(std::uint64_t at, const Bytes& bytes) {
  MemoryImage i;
  i.write(at, bytes);
  return i;
}

/// Old data from 0 to 0x4000, and an image that shares blocks with it.
struct Scene {
  Scene()
      : world(WorldOptions{
            .flash =
                R"("size": "1M", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})"}) {
    std::mt19937 random(71);
    old = randomBytes(random, 0x4000);
    world.fill(0, old);
    fresh = randomBytes(random, 0x2300);
    wanted = world.wanted(Task::Program, image(0x400, fresh));
  }
  World world;
  Bytes old, fresh;
  Wanted wanted;
};

}  // namespace

class PowerTest : public QObject {
  Q_OBJECT
 private slots:
  void aRunWaitsForATargetThatGetsItsPowerLate() {
    WorldOptions options;
    options.bench = R"(, "faults": [{"kind": "late-power", "seconds": 3.5}])";
    World world(options);
    Wanted wanted = world.wanted(Task::Program, image(0, Bytes(600, 0x5A)));
    wanted.waitSeconds = 30;
    struct Waiting : RunObserver {
      void waiting(std::size_t step, double left) override {
        QCOMPARE(step, std::size_t{0});
        if (!lefts.empty()) QVERIFY(left < lefts.back());
        lefts.push_back(left);
      }
      std::vector<double> lefts;
    } observer;
    const Record record = world.carryOut(wanted, {}, &observer);
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QVERIFY(observer.lefts.size() > 20);
    COMPARE_TEXT(record.steps.at(0).step.title, "Wait for the target, up to 30 s");
    COMPARE_TEXT(nameOf(record.steps.at(0).step.kind), "await-target");
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aTargetThatDoesNotComeIsGivenUpOn() {
    WorldOptions options;
    options.bench = R"(, "faults": [{"kind": "no-power"}])";
    World world(options);
    Wanted wanted = world.wanted(Task::Program, image(0, Bytes(600, 0x5A)));
    wanted.waitSeconds = 5;
    const Record record = world.carryOut(wanted);
    QCOMPARE(record.outcome, Outcome::Failed);
    VERIFY_CONTAINS(record.message, "waited 5 s for the target: TDO stays at 0: no part answers");
    VERIFY_CONTAINS(record.message, "Nothing was touched");
    std::stop_source stop;
    stop.request_stop();
    QCOMPARE(world.carryOut(wanted, stop.get_token()).error, std::optional{ErrorKind::Stopped});
  }

  void powerThatGoesInTheMiddleIsNoticedAsThat() {
    // How long the whole run takes, then the power goes at many places of it.
    double whole = 0;
    {
      Scene clean;
      QCOMPARE(clean.world.carryOut(clean.wanted).outcome, Outcome::Verified);
      whole = sim::toSeconds(clean.world.sim().board().now());
    }
    int noticed = 0;
    for (int i = 1; i < 40; ++i) {
      Scene scene;
      scene.world.sim().board().addFault(
          {.kind = sim::BoardFault::Kind::NoPower, .level = i % 2 == 0, .until = sim::fromSeconds(whole * i / 40)});
      const Record record = scene.world.carryOut(scene.wanted);
      QVERIFY(!record.good());
      const bool named = record.message.find("lost its power in the middle") != std::string::npos ||
                         record.message.find("no part answers") != std::string::npos;
      QVERIFY2(named, record.message.c_str());
      noticed += named ? 1 : 0;
      // With power again the next run puts everything right.
      scene.world.sim().board().repair();
      scene.world.reconnect();
      QCOMPARE(scene.world.carryOut(scene.wanted).outcome, Outcome::Verified);
      QCOMPARE(scene.world.cells(0x400, scene.fresh.size()), scene.fresh);
      if (record.changed) VERIFY_CONTAINS(record.message, "What was there is saved in");
    }
    QCOMPARE(noticed, 39);
  }
};
IMPRIMO_TEST(PowerTest);
#include "tst_power.moc"
