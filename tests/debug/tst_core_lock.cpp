// SPDX-License-Identifier: GPL-3.0-or-later
//
// Locked cores: known without harm, opened by what their card says, and told truly when that is broken off.
#include "core/base/atomic_file.h"
#include "core/run/core_runs.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

/// What opens the simulated chip (docs/formats/bench.md).
const char* const kUnlock = R"("destroys": "the whole flash and the RAM", "steps": [
 {"write": {"ap": 1, "register": "0x00", "value": "0x0C0DE4A5"}}, {"write": {"ap": 1, "register": "0x04", "value": "0x1"}},
 {"wait": {"ap": 1, "register": "0x08", "mask": "0x1", "value": "0x0"}, "seconds": 2},
 {"write": {"ap": 1, "register": "0x04", "value": "0x2"}}])";

CoreWorldOptions lockable(bool locked, const std::string& unlock = kUnlock) {
  CoreWorldOptions o;
  o.core = locked ? R"(, "locked": true)" : R"(, "locked": false)";
  const std::string card =
      R"({"core_card": 1, "name": "BECK_K0", "identity": [{"at": "0x40000000", "value": "0xC6000001"}],
 "locked": [{"ap": 1, "register": "0x08", "mask": "0x2", "value": "0x2"}])" +
      (unlock.empty() ? "" : R"(, "unlock": {)" + unlock + "}") + R"(,
 "regions": [{"name": "program", "kind": "flash", "from": "0x0", "size": "0x40000", "algorithm": "a.flm"},
             {"name": "sram", "kind": "ram", "from": "0x20000000", "size": "0x4000"}]})";
  o.files = {{"locked.json", Bytes(card.begin(), card.end())}};
  o.described = R"("card": "locked.json")";
  return o;
}

/// One whose lock closes the debug port too.
CoreWorldOptions silenced(bool locked) {
  CoreWorldOptions o = lockable(locked);
  o.core += R"(, "lock_silences": true)";
  Bytes& card = o.files.front().second;
  std::string text(card.begin(), card.end());
  text.replace(text.find("\"regions\""), 0,
               R"("locked_port": "silent", "lock": {"closes": "the flash", "steps": [
 {"write": {"ap": 1, "register": "0x00", "value": "0x0C0DE4A5"}}, {"write": {"ap": 1, "register": "0x04", "value": "0x4"}},
 {"reset": true}]}, )");
  card.assign(text.begin(), text.end());
  return o;
}

/// Records that are kept nowhere.
struct NoRecords : RecordSink {
  void keep(const Record&) override {}
};

RecordPtr unlock(CoreWorld& w, std::stop_token stop = {}) {
  NoRecords records;
  RunObserver nobody;
  return unlockCore(w.bench(), "core", records, nobody, stop);
}

bool blank(CoreWorld& w) {
  const Bytes& flash = w.chip().flash();
  return std::all_of(flash.begin(), flash.end(), [](std::uint8_t b) { return b == 0xFF; });
}

void fill(CoreWorld& w, const Bytes& bytes) {
  std::copy(bytes.begin(), bytes.end(), w.chip().flash().begin());
}

}  // namespace

class CoreLockTest : public QObject {
  Q_OBJECT
 private slots:
  /// Nothing answers; with the reset held it is known to be locked, and opened.
  void aLockThatSilencesThePort_data() {
    QTest::addColumn<bool>("jtag");
    QTest::newRow("swd") << false;
    QTest::newRow("jtag") << true;
  }
  void aLockThatSilencesThePort() {
    QFETCH(bool, jtag);
    CoreWorldOptions o = silenced(true);
    o.jtag = jtag;
    {
      CoreWorld w(o);
      VERIFY_CONTAINS(errorOf([&] { w.bench().core("core"); }), "answer");
      QCOMPARE(w.chip().resets(), 0u);
    }
    o.described += R"(, "connect": "under-reset")";
    CoreWorld w(o);
    fill(w, bytesOf(1, 0x2000));
    QVERIFY(w.bench().core("core").lookAt().locked);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0, bytesOf(2, 0x100))));
    QCOMPARE(record.outcome, Outcome::Refused);
    VERIFY_CONTAINS(record.message, "core is locked: its debug port answers only while the board's reset is held");
    const RecordPtr opened = unlock(w);
    QVERIFY2(opened->outcome == Outcome::Done, opened->message.c_str());
    QVERIFY(blank(w));
    QVERIFY(!w.bench().core("core").isLocked());
    const Record written = w.carryOut(w.wanted(Task::Program, imageAt(0, bytesOf(2, 0x100))));
    QVERIFY2(written.outcome == Outcome::Verified, written.message.c_str());
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// Locked so, its silence is what was to be seen; a run that breaks off claims nothing.
  void lockingThatSilencesThePort() {
    CoreWorld w(silenced(false));
    NoRecords records;
    RunObserver nobody;
    const RecordPtr record = lockCore(w.bench(), "core", records, nobody, {});
    QVERIFY2(record->outcome == Outcome::Done, record->message.c_str());
    VERIFY_CONTAINS(record->message, "Its debug port no longer answers, as its card says of a locked one.");
    QVERIFY(w.chip().portIsSilent());
  }

  void aLockedCoreIsKnownWithoutHarm() {
    CoreWorld w(lockable(true));
    const Bytes old = bytesOf(1, 0x2000);
    fill(w, old);
    const bench::CoreReport report = w.bench().core("core").lookAt();
    QVERIFY(report.locked);
    QCOMPARE(report.dpidr, 0x0C602FFBu);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0, bytesOf(2, 0x100))));
    QCOMPARE(record.outcome, Outcome::Refused);
    VERIFY_CONTAINS(record.message, "its debug port answers (DPIDR 0x0c602ffb), and its memory is closed");
    VERIFY_CONTAINS(record.message, "destroys the whole flash and the RAM");
    QCOMPARE(record.help, Help::Unlock);
    QVERIFY(!record.changed);
    QCOMPARE(w.chip().resets(), 0u);
    QVERIFY(std::equal(old.begin(), old.end(), w.chip().flash().begin()));
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// What has its bus switched off is locked, whatever its card says of that.
  void itIsKnownWithoutACardThatSaysSo() {
    CoreWorldOptions o;
    o.core = R"(, "locked": true)";
    CoreWorld w(o);
    QVERIFY(w.bench().core("core").lookAt().locked);
    VERIFY_CONTAINS(w.carryOut(w.wanted(Task::Blank)).message, "has to be in its core card");
    const RecordPtr record = unlock(w);
    QCOMPARE(record->outcome, Outcome::Refused);
    VERIFY_CONTAINS(record->message, "how core is unlocked is not known");
  }

  void itIsOpenedAndBlankAndThenProgrammed() {
    CoreWorld w(lockable(true));
    fill(w, bytesOf(1, 0x8000));
    const RecordPtr record = unlock(w);
    QVERIFY2(record->outcome == Outcome::Done, record->message.c_str());
    VERIFY_CONTAINS(record->message, "core is open, and its flash is blank");
    QVERIFY(record->changed);
    QCOMPARE(record->steps.size(), 6u);
    QVERIFY(blank(w) && !w.chip().lock()->closed());
    const Bytes fresh = bytesOf(3, 0x1234);
    QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0, fresh))).outcome, Outcome::Verified);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void oneThatIsOpenIsLeftAlone() {
    CoreWorld w(lockable(false));
    const Bytes old = bytesOf(1, 0x2000);
    fill(w, old);
    const RecordPtr record = unlock(w);
    QCOMPARE(record->outcome, Outcome::Done);
    VERIFY_CONTAINS(record->message, "is not locked; nothing was done");
    QVERIFY(!record->changed);
    QVERIFY(std::equal(old.begin(), old.end(), w.chip().flash().begin()));
    QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0, bytesOf(2, 0x100)))).outcome, Outcome::Verified);
  }

  void whatDoesNotOpenItIsTold() {
    // Nothing allowed the erase, so it is refused.
    CoreWorld w(
        lockable(true, R"("destroys": "all", "steps": [{"write": {"ap": 1, "register": "0x04", "value": "0x2"}}])"));
    const RecordPtr record = unlock(w);
    QCOMPARE(record->outcome, Outcome::Stopped);
    VERIFY_CONTAINS(record->message, "core is still locked");
    VERIFY_CONTAINS(record->message, "It is still locked; what its flash holds is not known");
    // What is waited for does not come.
    CoreWorld never(lockable(true, R"("destroys": "all", "steps": [
 {"wait": {"ap": 1, "register": "0x08", "mask": "0x1", "value": "0x1"}, "seconds": 0.05}])"));
    VERIFY_CONTAINS(unlock(never)->message, "register 0x08 of access port 1 does not become 0x00000001 within 0.05 s");
  }

  /// The power is lost at any time of it: what is said is so, and the next one opens it.
  void aLostPowerIsToldAndTheNextOneOpensIt() {
    int broken = 0;
    for (int i = 0; i < 24; ++i) {
      CoreWorld w(lockable(true));
      fill(w, bytesOf(1, 0x40000));
      w.bench().core("core");
      const sim::Time now = w.sim().board().now();
      w.sim().board().addFault({.kind = sim::BoardFault::Kind::NoPower,
                                .from = now + sim::fromSeconds(0.0004 * i * i + 0.01),
                                .until = now + sim::fromSeconds(0.0004 * i * i)});
      const RecordPtr record = unlock(w);
      if (record->outcome == Outcome::Done && record->changed) {
        QVERIFY(blank(w));
      } else {
        ++broken;
        QVERIFY2(!record->good(), record->message.c_str());
        const bool stillLocked = QString::fromStdString(record->message).contains("still locked");
        if (stillLocked) QVERIFY2(w.chip().lock()->closed(), record->message.c_str());
        const bool open = QString::fromStdString(record->message).contains("Its memory is open");
        if (open) QVERIFY2(!w.chip().lock()->closed(), record->message.c_str());
      }
      w.pass(0.05);
      w.reconnect();
      const RecordPtr next = unlock(w);
      QVERIFY2(next->outcome == Outcome::Done, next->message.c_str());
      QVERIFY(!w.chip().lock()->closed());
      QVERIFY(blank(w));
    }
    QVERIFY(broken > 4);
  }

  /// The link is lost at any packet of it.
  void aLostLinkIsTold() {
    int broken = 0;
    for (std::uint64_t packet = 1; packet < 60; packet += 3) {
      CoreWorld w(lockable(true));
      fill(w, bytesOf(1, 0x1000));
      w.bench().core("core");
      w.sim().dropLinkAtPacket(w.sim().packets() + packet);
      const RecordPtr record = unlock(w);
      if (record->outcome == Outcome::Done) continue;
      ++broken;
      QVERIFY(!record->good());
      if (record->changed) VERIFY_CONTAINS(record->message, "not known");
      w.sim().restoreLink();
      w.reconnect();
      w.pass(0.1);
      const RecordPtr next = unlock(w);
      QVERIFY2(next->good(), next->message.c_str());
      QVERIFY(!w.chip().lock()->closed());
    }
    QVERIFY(broken > 5);
  }

  /// What opens it from the next reset on is followed by the reset's pin.
  void thePinResetsIt() {
    CoreWorld w(lockable(true, R"("destroys": "all", "steps": [
 {"write": {"ap": 1, "register": "0x00", "value": "0x0C0DE4A5"}}, {"write": {"ap": 1, "register": "0x04", "value": "0x1"}},
 {"wait": {"ap": 1, "register": "0x08", "mask": "0x1", "value": "0x0"}}, {"reset": true}])"));
    const RecordPtr record = unlock(w);
    QVERIFY2(record->outcome == Outcome::Done, record->message.c_str());
    QVERIFY(!w.chip().lock()->closed());
    QVERIFY(w.chip().resets() > 0);
  }

  /// A core that is open, and halted for something else, goes on as it was found.
  void whatIsOpenGoesOn() {
    CoreWorld w(lockable(false));
    fill(w, firmware({0xE7FE}));
    w.chip().core().reset();
    w.pass(0.001);
    w.bench().core("core").core().halt();
    QVERIFY(w.chip().core().halted());
    QVERIFY(unlock(w)->good());
    QVERIFY(!w.chip().core().halted());
  }

  void aLockedCoreIsNotRestarted() {
    CoreWorld w(lockable(true));
    VERIFY_CONTAINS(errorOf([&] { w.bench().core("core").restart(); }), "core is locked");
    QCOMPARE(w.chip().resets(), 0u);
  }

  void itIsStopped() {
    CoreWorld w(lockable(true));
    fill(w, bytesOf(1, 0x1000));
    std::stop_source stop;
    stop.request_stop();
    const RecordPtr record = unlock(w, stop.get_token());
    QCOMPARE(record->outcome, Outcome::Stopped);
    QVERIFY(!record->changed);
    QVERIFY(w.chip().lock()->closed() && !blank(w));
  }

  /// "Switch it off and on": waited for, and not for ever.
  void aPowerCycleIsWaitedFor() {
    const char* const steps = R"("destroys": "all", "steps": [
 {"write": {"ap": 1, "register": "0x00", "value": "0x0C0DE4A5"}}, {"write": {"ap": 1, "register": "0x04", "value": "0x1"}},
 {"wait": {"ap": 1, "register": "0x08", "mask": "0x1", "value": "0x0"}}, {"power_cycle": true, "seconds": 1}])";
    CoreWorld w(lockable(true, steps));
    w.bench().core("core");
    const sim::Time now = w.sim().board().now();
    w.sim().board().addFault({.kind = sim::BoardFault::Kind::NoPower,
                              .from = now + sim::fromSeconds(0.4),
                              .until = now + sim::fromSeconds(0.3)});
    const RecordPtr record = unlock(w);
    QVERIFY2(record->outcome == Outcome::Done, record->message.c_str());
    CoreWorld never(lockable(true, steps));
    VERIFY_CONTAINS(unlock(never)->message, "power was not switched off and on within 1 s");
  }

  /// Link or power are lost anywhere while it is locked: what is said is so, and the next run locks it.
  void lockingThatIsBrokenOffIsTold_data() {
    QTest::addColumn<bool>("power");
    QTest::newRow("link") << false;
    QTest::newRow("power") << true;
  }
  void lockingThatIsBrokenOffIsTold() {
    QFETCH(const bool, power);
    CoreWorldOptions o = lockable(false);
    std::string card(o.files[0].second.begin(), o.files[0].second.end());
    card.insert(card.find("\"regions\""), R"("lock": {"closes": "the flash", "steps": [
 {"write": {"ap": 1, "register": "0x00", "value": "0x0C0DE4A5"}}, {"write": {"ap": 1, "register": "0x04", "value": "0x4"}},
 {"write": {"ap": 1, "register": "0x04", "value": "0x2"}}]}, )");
    o.files[0].second.assign(card.begin(), card.end());
    const auto lock = [](CoreWorld& w) {
      NoRecords records;
      RunObserver nobody;
      return lockCore(w.bench(), "core", records, nobody, {});
    };
    CoreWorld whole(o);
    whole.bench().core("core");
    const std::uint64_t packets = whole.sim().packets();
    const sim::Time time = whole.sim().board().now();
    QCOMPARE(lock(whole)->outcome, Outcome::Done);
    const std::uint64_t morePackets = whole.sim().packets() - packets;
    const sim::Time moreTime = whole.sim().board().now() - time;
    int broken = 0;
    constexpr unsigned kRuns = 20;
    for (unsigned run = 0; run < kRuns; ++run) {
      CoreWorld w(o);
      const Bytes old = bytesOf(1, 0x1000);
      fill(w, old);
      w.bench().core("core");
      if (power) {
        const sim::Time at = w.sim().board().now() + moreTime * run / kRuns;
        w.sim().board().addFault(
            {.kind = sim::BoardFault::Kind::NoPower, .from = at + sim::fromSeconds(0.002), .until = at});
      } else {
        w.sim().dropLinkAtPacket(w.sim().packets() + 1 + morePackets * run / kRuns);
      }
      const RecordPtr record = lock(w);
      w.sim().restoreLink();
      w.sim().board().repair();
      w.pass(0.01);
      w.reconnect();
      if (!record->good()) ++broken;
      const QString said = QString::fromStdString(record->message);
      if (record->good()) QVERIFY2(w.chip().lock()->closed(), record->message.c_str());
      if (said.contains("It is now locked")) QVERIFY2(w.chip().lock()->closed(), record->message.c_str());
      if (said.contains("is not locked.")) QVERIFY2(!w.chip().lock()->closed(), record->message.c_str());
      QVERIFY(std::equal(old.begin(), old.end(), w.chip().flash().begin()));
      const RecordPtr next = lock(w);
      QVERIFY2(next->outcome == Outcome::Done, next->message.c_str());
      QVERIFY(w.chip().lock()->closed());
    }
    QVERIFY(broken > 5);
  }

  void cardsThatCannotBeAreTold_data() {
    QTest::addColumn<QString>("lock");
    QTest::addColumn<QString>("says");
    const auto row = [](const char* name, const char* lock, const char* says) {
      QTest::newRow(name) << QString(lock) << QString(says);
    };
    row("no step", R"("unlock": {"destroys": "all", "steps": []})", "steps: has no step");
    row("nothing said", R"("unlock": {"destroys": "", "steps": [{"reset": true}]})", "destroys: says what is gone");
    row("two at once", R"("unlock": {"destroys": "all", "steps": [{"reset": true, "power_cycle": true}]})",
        "should have one of");
    row("register", R"("locked": [{"ap": 1, "register": "0x102", "value": "1"}])", "should be a multiple of 4");
    row("never", R"("locked": [{"ap": 1, "register": "0x8", "mask": "0x1", "value": "0x2"}])", "it never matches");
    row("both", R"("locked": [{"at": "0x20", "register": "0x8", "value": "0x2"}])", "goes with \"ap\"");
    row("seconds", R"("unlock": {"destroys": "all", "steps": [{"power_cycle": true, "seconds": 0}]})", "more than 0");
    row("lock", R"("lock": {"closes": "", "steps": [{"reset": true}]})", "closes: says what cannot be read");
    row("unknown", R"("unlock": {"destroys": "all", "steps": [{"fly": true}]})", "fly");
  }

  void cardsThatCannotBeAreTold() {
    QFETCH(const QString, lock);
    QFETCH(const QString, says);
    const std::string text = R"({"core_card": 1, "name": "K", "regions": [], )" + lock.toStdString() + "}";
    VERIFY_CONTAINS(errorOf([&] { debug::parseCoreCard(text, "card.json"); }), says.toStdString());
  }
};

IMPRIMO_TEST(CoreLockTest);
#include "tst_core_lock.moc"
