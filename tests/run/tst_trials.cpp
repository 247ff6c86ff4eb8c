// SPDX-License-Identifier: GPL-3.0-or-later
//
// A trial of the bench changes a block and gives it its bytes back, whatever goes wrong in between.
#include <fmt/format.h>

#include "core/run/runner.h"
#include "tests/support/check.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

WorldOptions quick() {
  WorldOptions o;
  o.flash = quickFlash("1M");
  return o;
}

/// Does something as a step of one kind begins, or at the n-th piece of it.
struct At : RunObserver {
  At(StepKind k, std::function<void()> what, int n = 0) : kind(k), act(std::move(what)), left(n) {}
  void planned(const PlanPtr& p) override { plan = *p; }
  void stepStarted(std::size_t i) override {
    if (left == 0 && plan.steps.at(i).kind == kind) act();
  }
  void advanced(std::size_t i, const AddressRange&, const Amount&) override {
    if (left > 0 && plan.steps.at(i).kind == kind && --left == 0) {
      act();
      left = -1;
    }
  }
  Plan plan;
  StepKind kind;
  std::function<void()> act;
  int left;
};

}  // namespace

class TrialsTest : public QObject {
  Q_OBJECT
 private slots:
  /// One bit is read wrongly, once, at any place of what is read before the patterns.
  void oneWrongReadIsNotWrittenForGood() {
    for (const std::uint64_t where :
         {std::uint64_t{10}, std::uint64_t{2000}, std::uint64_t{4096}, std::uint64_t{5000}}) {
      World world(quick());
      const Bytes old = bytesOf(1, 0x1000);
      world.fill(0x5000, old);
      Wanted wanted = world.wanted(Task::Trial);
      wanted.ranges = {{0x5000, 0x6000}};
      wanted.trialReads = 3;
      world.bench().at("boot-flash").identify();
      At at(StepKind::Read, [&] { world.flash().corruptRead(world.flash().bytesRead() + where, 0x10); });
      const Record record = world.carryOut(wanted, {}, &at);
      QCOMPARE(world.cells(0x5000, 0x1000), old);
      QVERIFY2(record.outcome != Outcome::Sound, record.message.c_str());
    }
  }

  void aBlankBlockOfBeforeIsNoScratchBlock() {
    World world(quick());
    world.fill(0, bytesOf(3, 0x1000));
    Wanted read = world.wanted(Task::Read);
    read.all = true;
    world.carryOut(read);
    world.bench().devices().restart();
    const Bytes log(0x300, 0x42);
    world.fill(0xFF400, log);
    Wanted wanted = world.wanted(Task::Trial);
    wanted.trialReads = 2;
    const Record record = world.carryOut(wanted);
    QVERIFY2(record.outcome == Outcome::Sound, record.message.c_str());
    QCOMPARE(world.cells(0xFF400, 0x300), log);
  }

  void aReadCommandThatThePartMissedDestroysNothing() {
    for (unsigned n = 1; n < 8; ++n) {
      World world(quick());
      world.fill(0, bytesOf(3, 0x100000));
      const Bytes all = world.cells(0, 0x100000);
      Wanted wanted = world.wanted(Task::Trial);
      wanted.trialReads = 2;
      At at(StepKind::Read, [&] { world.flash().ignoreCommand(world.flash().commandCount() + n); });
      const Record record = world.carryOut(wanted, {}, &at);
      QVERIFY2(!record.good(), record.message.c_str());
      QCOMPARE(world.cells(0, 0x100000), all);
    }
  }

  void aLinkLostInTheMiddleIsToldWithWhatTheBlockHolds() {
    World world(quick());
    const Bytes old = bytesOf(1, 0x1000);
    world.fill(0x5000, old);
    Wanted wanted = world.wanted(Task::Trial);
    wanted.ranges = {{0x5000, 0x6000}};
    wanted.trialReads = 3;
    At at(
        StepKind::Trial, [&] { world.sim().dropLinkAtPacket(world.sim().packets() + 1); }, 4);
    const Record record = world.carryOut(wanted, {}, &at);
    QCOMPARE(record.error, std::optional{ErrorKind::LinkLost});
    QVERIFY(world.cells(0x5000, 0x1000) != old);
    QVERIFY(!QString::fromStdString(record.message).contains("as before"));
    VERIFY_CONTAINS(record.message, "0x005000 – 0x005FFF");
    VERIFY_CONTAINS(record.message, record.backup.string());
    QCOMPARE(world.copy(record.backup).bytes({0x5000, 0x6000}), old);
    QVERIFY(record.erased == (std::vector<AddressRange>{{0x5000, 0x6000}}));
  }
};
IMPRIMO_TEST(TrialsTest);
#include "tst_trials.moc"
