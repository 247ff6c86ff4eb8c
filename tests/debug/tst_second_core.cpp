// SPDX-License-Identifier: GPL-3.0-or-later
//
// A second core behind another access port of the same debug port, off until the first one starts it.
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

CoreWorldOptions withSecond(bool jtag, const std::string& at = "0x40030000", const std::string& more = {}) {
  CoreWorldOptions o;
  o.jtag = jtag;
  o.core = R"(, "second": {"name": "second", "ap": 2, "flash": "256K", "sector": "4K", "ram": "16K",
 "times": {"sector": 0.002, "all": 0.01, "word": 0.000002}})";
  // The first core's entry ends, and the second one's begins.
  o.coreKeys = std::string(R"(}, {"name": "application", "ap": 2, "card": "card.json", )") +
               (jtag ? R"("port": "jtag", "device": "port", )" : R"("port": "swd", )") +
               R"("started_by": {"core": "core", "at": ")" + at + R"(", "value": 1})" + more;
  o.memories = R"(, {"name": "second", "type": "core-flash",
 "route": {"via": "core", "core": "application", "region": "program"}})";
  return o;
}

Wanted program(CoreWorld& w, const char* memory, std::uint64_t at, const Bytes& bytes) {
  Wanted wanted = w.wanted(Task::Program, imageAt(at, bytes));
  wanted.memory = memory;
  wanted.restart = false;
  return wanted;
}

bool holds(CoreWorld& w, std::size_t chip, std::size_t at, const Bytes& bytes) {
  return std::equal(bytes.begin(), bytes.end(),
                    w.sim().board().chip(chip).flash().begin() + static_cast<std::ptrdiff_t>(at));
}

/// Starts the second core, and then goes nowhere.
Bytes starter() {
  return firmware({0x2001,  // movs r0, #1
                   0x4901,  // ldr r1, the word below
                   0x6008,  // str r0, [r1]
                   0xE7FE,  // b .
                   0x0000, 0x4003});
}

}  // namespace

class SecondCoreTest : public QObject {
  Q_OBJECT
 private slots:
  void bothArePutToWorkInTurn_data() {
    QTest::addColumn<bool>("jtag");
    QTest::newRow("SWD") << false;
    QTest::newRow("JTAG") << true;
  }

  /// What is selected at their port is one state: whoever worked last leaves it otherwise.
  void bothArePutToWorkInTurn() {
    QFETCH(const bool, jtag);
    CoreWorld w(withSecond(jtag));
    for (unsigned round = 0; round < 3; ++round) {
      const Bytes a = bytesOf(70 + round, 0x1800), b = bytesOf(80 + round, 0x1400);
      const Record first = w.carryOut(program(w, "program", 0x1000, a));
      QVERIFY2(first.outcome == Outcome::Verified, first.message.c_str());
      const Record second = w.carryOut(program(w, "second", 0x2000, b));
      QVERIFY2(second.outcome == Outcome::Verified, second.message.c_str());
      QVERIFY(holds(w, 0, 0x1000, a) && holds(w, 1, 0x2000, b));
    }
    QVERIFY(!w.sim().board().chip(1).isOff());
    w.reconnect();
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// Who only looks does not start it, and says that it is off.
  void itIsNotStartedForALook() {
    CoreWorld w(withSecond(false));
    w.bench().onlyAttach();
    QVERIFY(!w.bench().core("core").lookAt().notStarted);
    QVERIFY(w.bench().core("application").lookAt().notStarted);
    QVERIFY(w.sim().board().chip(1).isOff());
    VERIFY_CONTAINS(errorOf([&] { w.bench().core("application").requireIdentity(); }),
                    "application was not started: core starts it");
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// Behind the restart the firmware of the first one starts it, and both run.
  void itsStarterStartsItBehindTheRestart() {
    CoreWorld w(withSecond(false));
    QVERIFY(w.carryOut(program(w, "program", 0, starter())).good());
    Wanted last = program(w, "second", 0, firmware({0xE7FE}));
    last.restart = true;
    const Record record = w.carryOut(last);
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    w.pass(0.01);
    for (const std::size_t i : {0u, 1u}) {
      QVERIFY(!w.sim().board().chip(i).isOff());
      QVERIFY(!w.sim().board().chip(i).core().halted());
    }
    QCOMPARE(w.sim().board().chip(1).core().pc(), 0xC0u);
    w.reconnect();
    QVERIFY(!w.sim().board().chip(1).core().halted());
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void oneThatDoesNotStartIsTold() {
    CoreWorld w(withSecond(false, "0x20000100"));
    const Record record = w.carryOut(program(w, "second", 0, bytesOf(1, 0x100)));
    QCOMPARE(record.outcome, Outcome::Refused);
    VERIFY_CONTAINS(record.message, "application did not start after the write to the bus of core");
    QVERIFY(!record.changed);
    QVERIFY(!w.bench().core("core").isLocked());
  }

  void whatCannotStartItIsRefusedByTheSheet() {
    VERIFY_CONTAINS(errorOf([] { CoreWorld w(withSecond(false, "0x40030002")); }), "a multiple of 4");
    CoreWorldOptions itself = withSecond(false);
    itself.coreKeys.replace(itself.coreKeys.find("\"core\": \"core\""), 14, "\"core\": \"application\"");
    VERIFY_CONTAINS(errorOf([&] { CoreWorld w(itself); }), "no core before this one is named application");
  }

  /// The power goes while the second one is written: the next run finds it off, and starts it again.
  void aLostPowerPutsItOff() {
    CoreWorld w(withSecond(false));
    const Bytes bytes = bytesOf(3, 0x4000);
    w.bench().core("application");
    const sim::Time now = w.sim().board().now();
    w.sim().board().addFault({.kind = sim::BoardFault::Kind::NoPower,
                              .from = now + sim::fromSeconds(0.03),
                              .until = now + sim::fromSeconds(0.02)});
    const Record broken = w.carryOut(program(w, "second", 0x1000, bytes));
    QVERIFY2(!broken.good(), broken.message.c_str());
    w.pass(0.1);
    w.reconnect();
    Wanted again = program(w, "second", 0x1000, bytes);
    again.earlier = Wanted::Earlier::Forget;
    const Record next = w.carryOut(again);
    QVERIFY2(next.outcome == Outcome::Verified, next.message.c_str());
    QVERIFY(holds(w, 1, 0x1000, bytes));
  }
};

IMPRIMO_TEST(SecondCoreTest);
#include "tst_second_core.moc"
