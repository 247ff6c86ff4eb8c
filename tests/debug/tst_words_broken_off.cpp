// SPDX-License-Identifier: GPL-3.0-or-later
//
// Configuration words whose writing is broken off: known for what they are, and put right by the next run.
#include "tests/debug/words_world.h"
#include "tests/support/check.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::run;
using namespace imprimo::test;

class WordsBrokenOffTest : public QObject {
  Q_OBJECT
 private slots:
  /// Erased and not written: the next run puts back what they held, though it wants nothing of them itself.
  void whatWasOnlyErasedIsPutBack_data() {
    QTest::addColumn<bool>("complement");
    QTest::newRow("with complements") << true;
    QTest::newRow("without") << false;
  }
  void whatWasOnlyErasedIsPutBack() {
    QFETCH(const bool, complement);
    CoreWorldOptions o = withWords();
    std::string text(o.files[0].second.begin(), o.files[0].second.end());
    for (const char* each : {"\"complement\": \"0x1FFF0004\", ", "\"complement\": \"0x1FFF000C\", "}) {
      if (!complement) text.erase(text.find(each), std::string(each).size());
    }
    o.files[0].second.assign(text.begin(), text.end());
    CoreWorld w(o);
    const Bytes firmware = bytesOf(5, 0x400);
    std::copy(firmware.begin(), firmware.end(), w.chip().flash().begin());
    put(w, kStart, 0xFFFFFF5F, ~0xFFFFFF5Fu);
    put(w, kAccess, 0xFFFFFFF1, ~0xFFFFFFF1u);
    w.chip().words()->bytes()[0x40] = 0x12;
    w.chip().hangOperation(w.chip().operations());  // the erase is done, and no word
    const RecordPtr broken = write(w, {{"start", "board", 0x3}});
    QVERIFY(!broken->good() && broken->changed);
    QCOMPARE(openNotes(w), 1u);
    w.reconnect();
    const RecordPtr next = write(w, std::vector<sheet::WordWish>());
    QVERIFY2(next->outcome == Outcome::Verified, next->message.c_str());
    QCOMPARE(wordAt(w, kStart), 0xFFFFFF5Fu);
    QCOMPARE(wordAt(w, kStart + 4), ~0xFFFFFF5Fu);
    QCOMPARE(wordAt(w, kAccess), 0xFFFFFFF1u);
    QCOMPARE(w.chip().words()->bytes()[0x40], 0x12);
    QCOMPARE(openNotes(w), 0u);
    // What was copied of that state is nothing that anybody wants back.
    store::CopyStore store(w.path("copies").toStdString());
    QCOMPARE(store.list().size(), 2u);
    QVERIFY(store.list()[0].of.unfinished != store.list()[1].of.unfinished);
  }

  /// Power or link are lost at every so manieth access: what is said is true, and the next run finishes it.
  void brokenOffAnywhere_data() {
    QTest::addColumn<bool>("steps");
    QTest::addColumn<bool>("power");
    QTest::newRow("algorithm, link") << false << false;
    QTest::newRow("algorithm, power") << false << true;
    QTest::newRow("steps, link") << true << false;
    QTest::newRow("steps, power") << true << true;
  }
  void brokenOffAnywhere() {
    QFETCH(bool, steps);
    QFETCH(bool, power);
    const auto scene = [&] {
      auto w = std::make_unique<CoreWorld>(withWords(steps));
      const Bytes firmware = bytesOf(5, 0x400);
      std::copy(firmware.begin(), firmware.end(), w->chip().flash().begin());
      put(*w, kStart, 0xFFFFFF5F, ~0xFFFFFF5Fu);
      if (!steps) put(*w, kAccess, 0xFFFFFFF1, ~0xFFFFFFF1u);
      if (!steps) w->chip().words()->bytes()[0x40] = 0x12;
      w->bench().core("core");
      return w;
    };
    const std::vector<sheet::WordWish> wishes{{"start", "board", 0x3}};
    const auto first = scene();
    const std::uint64_t packetsBefore = first->sim().packets();
    const sim::Time timeBefore = first->sim().board().now();
    QCOMPARE(write(*first, wishes)->outcome, Outcome::Verified);
    const std::uint64_t packets = first->sim().packets() - packetsBefore;
    const sim::Time time = first->sim().board().now() - timeBefore;
    int broken = 0, left = 0;
    const std::uint64_t runs = std::max(24, qEnvironmentVariableIntValue("IMPRIMO_CORE_SWEEP_RUNS") / 4);
    for (std::uint64_t run = 0; run < runs; ++run) {
      const auto w = scene();
      if (power) {
        const sim::Time at = w->sim().board().now() + time * run / runs;
        w->sim().board().addFault(
            {.kind = sim::BoardFault::Kind::NoPower, .from = at + sim::fromSeconds(0.005), .until = at});
      } else {
        w->sim().dropLinkAtPacket(w->sim().packets() + 1 + packets * run / runs);
      }
      const RecordPtr record = write(*w, wishes);
      const std::string where = "run " + std::to_string(run) + ": " + record->message;
      w->sim().restoreLink();
      w->sim().board().repair();
      w->pass(0.1);
      w->reconnect();
      const std::uint32_t now = wordAt(*w, kStart);
      const bool others = steps || (wordAt(*w, kAccess) == 0xFFFFFFF1u && w->chip().words()->bytes()[0x40] == 0x12);
      const bool whole = now == ~wordAt(*w, kStart + 4) && (now == 0xFFFFFF5F || now == 0xFFFFFF3F) && others;
      if (record->good()) {
        QVERIFY2(whole && now == 0xFFFFFF3Fu, where.c_str());
      } else {
        ++broken;
        // Half written is only what is known to be.
        QVERIFY2(whole || openNotes(*w) == 1, where.c_str());
        if (!record->changed) QVERIFY2(whole && now == 0xFFFFFF5Fu, where.c_str());
        if (!whole) ++left;
      }
      const RecordPtr next = write(*w, wishes);
      QVERIFY2(next->outcome == Outcome::Verified, (where + ", and then: " + next->message).c_str());
      QCOMPARE(wordAt(*w, kStart), 0xFFFFFF3Fu);
      QCOMPARE(wordAt(*w, kStart + 4), ~0xFFFFFF3Fu);
      if (!steps) {
        QCOMPARE(wordAt(*w, kAccess), 0xFFFFFFF1u);
        QCOMPARE(w->chip().words()->bytes()[0x40], 0x12);
      }
      QCOMPARE(openNotes(*w), 0u);
    }
    QVERIFY2(broken > 10 && left > 0, (std::to_string(broken) + " broken, " + std::to_string(left)).c_str());
  }
};

IMPRIMO_TEST(WordsBrokenOffTest);
#include "tst_words_broken_off.moc"
