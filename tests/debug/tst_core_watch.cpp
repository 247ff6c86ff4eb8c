// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a core does after it was started: sampled while it runs, and what a fault left.
#include "core/debug/core_watch.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using debug::CoreWatch;
using Verdict = debug::CoreWatch::Verdict;

namespace {

/// movs r0, #0x40; lsls r0, #24; movs r1, #2; lsls r1, #16; orrs r0, r1; str r1, [r0]: the watchdog is started; then b
/// .
const Bytes kFedOnce = firmware({0x2040, 0x0600, 0x2102, 0x0409, 0x4308, 0x6001, 0xE7FE});

CoreWatch watchOf(CoreWorld& w, const Bytes& flash) {
  std::copy(flash.begin(), flash.end(), w.chip().flash().begin());
  w.chip().core().reset();
  w.pass(0.001);
  return w.bench().core("core").watch({}, std::chrono::milliseconds(50));
}

CoreWatch watchOf(const Bytes& flash, CoreWorldOptions options = {}) {
  CoreWorld w(std::move(options));
  return watchOf(w, flash);
}

}  // namespace

class CoreWatchTest : public QObject {
  Q_OBJECT
 private slots:
  void oneThatRunsSaysWhere() {
    const CoreWatch watch = watchOf(firmware({0xE7FE}));  // b .
    QCOMPARE(watch.verdict, Verdict::Runs);
    QCOMPARE(watch.places.front().pc, 0xC0u);
    QVERIFY(!watch.stackAt && !watch.halted && !watch.fault);
    QCOMPARE(watch.words(), std::string("runs, mostly at 0x0000C0"));
  }

  void oneThatSleepsIsLeftAsleep() {
    CoreWorld w;
    const CoreWatch watch = watchOf(w, firmware({0xBF30, 0xE7FD}));  // wfi; b
    QCOMPARE(watch.verdict, Verdict::Sleeps);
    QVERIFY(w.chip().core().asleep());
    QVERIFY(!w.chip().core().halted());
  }

  /// ldr r0, =0x50000000 by shifting; ldr r1, [r0, #16]: nothing is there.
  void aFaultIsPutIntoWords_data() {
    QTest::addColumn<bool>("jtag");
    QTest::newRow("SWD") << false;
    QTest::newRow("JTAG") << true;
  }

  void aFaultIsPutIntoWords() {
    QFETCH(const bool, jtag);
    CoreWorldOptions o;
    o.jtag = jtag;
    CoreWorld w(o);
    const CoreWatch watch = watchOf(w, firmware({0x2005, 0x0700, 0x6901, 0xE7FE}));
    QCOMPARE(watch.verdict, Verdict::Fault);
    QVERIFY(watch.fault.has_value());
    QCOMPARE(watch.fault->exception, 3u);
    QCOMPARE(watch.fault->pc.value(), 0xC4u);
    QCOMPARE(watch.fault->registers[0], 0x50000000u);
    QCOMPARE(watch.fault->address.value(), 0x50000010u);
    QVERIFY2(watch.words().find("reads from 0x50000010, where nothing answers") != std::string::npos,
             watch.words().c_str());
    QVERIFY(watch.halted);
    QVERIFY(!w.chip().core().halted());  // only for a moment
  }

  /// One that is only attached to is not halted, and says what can be known so.
  void aFaultOfACoreThatIsNotToBeHalted() {
    CoreWorldOptions o;
    o.coreKeys = R"(, "connect": "running")";
    const CoreWatch watch = watchOf(firmware({0x2005, 0x0700, 0x6901}), o);
    QCOMPARE(watch.verdict, Verdict::Fault);
    QVERIFY(!watch.halted && !watch.fault->pc);
  }

  /// udf #0, and a misaligned ldr.
  void otherReasonsAreSeenInTheInstruction() {
    QVERIFY(watchOf(firmware({0xDE00})).words().find("an undefined instruction") != std::string::npos);
    QVERIFY(watchOf(firmware({0x2001, 0x6801})).words().find("an unaligned access to 0x000001") != std::string::npos);
  }

  void aFlashWithNothingInIt() {
    const CoreWatch watch = watchOf(Bytes(0x200, 0xFF));
    QCOMPARE(watch.verdict, Verdict::NoVectors);
  }

  void aFaultInTheHandlerLocksItUp() {
    Bytes flash = firmware({0xDE00});
    flash[0x80] = 0x00, flash[0x81] = 0xDE;
    QCOMPARE(watchOf(flash).verdict, Verdict::LockedUp);
  }

  void aStackOutsideOfTheRamIsSeen() {
    Bytes flash = firmware({0xE7FE});
    flash[3] = 0x30;  // 0x30004000
    const CoreWatch watch = watchOf(flash);
    QCOMPARE(watch.stackAt.value(), 0x30004000u);
  }

  void aCoreHeldInReset() {
    CoreWorld w;
    w.bench().core("core");
    w.chip().resetPin(true);
    QCOMPARE(w.bench().core("core").watch({}, std::chrono::milliseconds(50)).verdict, Verdict::InReset);
  }

  /// A watchdog that nobody feeds; one that is fed is no trouble.
  void aCoreThatResetsItself() {
    CoreWorldOptions o;
    o.core = R"(, "watchdog_ms": 4)";
    const CoreWatch watch = watchOf(kFedOnce, o);
    QCOMPARE(watch.verdict, Verdict::Resets);
    QVERIFY(watch.resets >= 3);
    // The same, and b (the store).
    QCOMPARE(watchOf(firmware({0x2040, 0x0600, 0x2102, 0x0409, 0x4308, 0x6001, 0xE7FD}), o).verdict, Verdict::Runs);
  }

  /// The algorithm does not feed it either: that is told, and under reset it is never started.
  void aCoreThatResetsItselfIsProgrammedUnderReset() {
    CoreWorldOptions o;
    o.core = R"(, "watchdog_ms": 3)";
    {
      CoreWorld w(o);
      std::copy(kFedOnce.begin(), kFedOnce.end(), w.chip().flash().begin());
      w.chip().core().reset();
      w.pass(0.01);
      const run::Record record = w.carryOut(w.wanted(plan::Task::Program, imageAt(0x2000, bytesOf(31, 0x2345))));
      QVERIFY(!record.good());
      QVERIFY2(record.message.find("under-reset") != std::string::npos, record.message.c_str());
    }
    o.coreKeys = R"(, "connect": "under-reset")";
    CoreWorld w(o);
    const Bytes old = kFedOnce;
    std::copy(old.begin(), old.end(), w.chip().flash().begin());
    w.chip().core().reset();
    w.pass(0.01);
    const Bytes fresh = bytesOf(31, 0x2345);
    const run::Record record = w.carryOut(w.wanted(plan::Task::Program, imageAt(0x2000, fresh)));
    QVERIFY2(record.good(), record.message.c_str());
    QVERIFY(std::equal(fresh.begin(), fresh.end(), w.chip().flash().begin() + 0x2000));
  }

  void aRunEndsWithWhatBecameOfIt() {
    CoreWorldOptions o;
    o.sheet = R"(, "after": ["restart"])";
    CoreWorld w(o);
    plan::Wanted wanted = w.wanted(plan::Task::Program, imageAt(0, firmware({0x2005, 0x0700, 0x6901})));
    wanted.watch = "core";
    const run::Record record = w.carryOut(wanted);
    QVERIFY2(record.good(), record.message.c_str());
    QCOMPARE(record.watched->verdict, Verdict::Fault);
    QVERIFY2(record.message.find("is in its hard fault handler") != std::string::npos, record.message.c_str());
    QVERIFY(record.text().find("\"verdict\": \"fault\"") != std::string::npos);
  }

  /// Firmware that takes the port away, or a cable that comes off: what was written and confirmed is so all the same.
  void aCoreThatCannotBeWatchedIsNoFailureOfTheRun() {
    CoreWorldOptions o;
    o.sheet = R"(, "after": ["restart"])";
    CoreWorld w(o);
    struct AtWatch : run::RunObserver {
      explicit AtWatch(CoreWorld& world) : w(world) {}
      void planned(const plan::PlanPtr& plan) override { now = plan; }
      void stepStarted(std::size_t step) override {
        if (now->steps[step].kind == plan::StepKind::Watch) w.sim().dropLinkAtPacket(w.sim().packets() + 3);
      }
      CoreWorld& w;
      plan::PlanPtr now;
    } observer(w);
    plan::Wanted wanted = w.wanted(plan::Task::Program, imageAt(0, firmware({0xE7FE})));
    wanted.watch = "core";
    const run::Record record = w.carryOut(wanted, {}, &observer);
    QCOMPARE(record.outcome, run::Outcome::Verified);
    QVERIFY(!record.watched);
    QVERIFY2(record.message.find("Whether core runs was not seen") != std::string::npos, record.message.c_str());
  }

  void faultRegistersInWords() {
    using debug::faultWords;
    QCOMPARE(faultWords(1u << 25, 0), std::vector<std::string>{"a division by zero"});
    QCOMPARE(faultWords(0x8200, 1u << 30), std::vector<std::string>{"the bus refused a data access"});
    QCOMPARE(faultWords(0, 2), std::vector<std::string>{"the vector table could not be read"});
    QVERIFY(faultWords(0, 0).empty());
  }

  void accessesOfTheShortInstructions() {
    std::array<std::uint32_t, 14> r{};
    r[2] = 0x1000;
    r[3] = 0x20;
    r[13] = 0x20003F00;
    const auto at = [&](std::uint16_t code) { return debug::accessOf(code, r).value().address; };
    QCOMPARE(at(0x6891), 0x1008u);      // ldr r1, [r2, #8]
    QCOMPARE(at(0x5099), 0x1020u);      // str r1, [r3, r2]
    QCOMPARE(at(0x7851), 0x1001u);      // ldrb r1, [r2, #1]
    QCOMPARE(at(0x8011), 0x1000u);      // strh r1, [r2]
    QCOMPARE(at(0x9902), 0x20003F08u);  // ldr r1, [sp, #8]
    QCOMPARE(at(0xCA02), 0x1000u);      // ldmia r2!, {r1}
    QVERIFY(debug::accessOf(0x6891, r)->reads && !debug::accessOf(0x8011, r)->reads);
    QVERIFY(!debug::accessOf(0xE7FE, r));
  }
};
IMPRIMO_TEST(CoreWatchTest);
#include "tst_core_watch.moc"
