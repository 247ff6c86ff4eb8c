// SPDX-License-Identifier: GPL-3.0-or-later
//
// Configuration words: read, written, read back behind the reset, shown for what they would do.
#include "core/run/core_runs.h"
#include "tests/debug/words_world.h"
#include "tests/support/check.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::run;
using namespace imprimo::test;

class ConfigWordsTest : public QObject {
  Q_OBJECT
 private slots:
  void aFieldIsWrittenAndCountsBehindTheReset_data() {
    QTest::addColumn<bool>("steps");
    QTest::newRow("by the algorithm") << false;
    QTest::newRow("by steps") << true;
  }
  void aFieldIsWrittenAndCountsBehindTheReset() {
    QFETCH(bool, steps);
    CoreWorld w(withWords(steps));
    const RecordPtr record = write(w, {{"start", "board", 0x3}});
    QVERIFY2(record->outcome == Outcome::Verified, record->message.c_str());
    VERIFY_CONTAINS(record->message, "1 configuration word of core written and read back");
    QCOMPARE(wordAt(w, kStart), 0xFFFFFF3Fu);
    QCOMPARE(wordAt(w, kStart + 4), 0x000000C0u);
    QCOMPARE(w.chip().words()->start(), 0xFFFFFF3Fu);  // since the reset
    QCOMPARE(record->words.size(), 2u);
    QCOMPARE(record->words[0].before, "erased");
    QCOMPARE(record->words[0].planned, "0xFFFFFF3F");
    QCOMPARE(record->words[0].after, "0xFFFFFF3F");
    QVERIFY(record->words[1].planned.empty());
    QVERIFY(!record->backup.empty());
    QCOMPARE(openNotes(w), 0u);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
    const std::uint64_t words = w.chip().wordsProgrammed();
    const RecordPtr again = write(w, {{"start", "board", 0x3}});
    VERIFY_CONTAINS(again->message, "hold the planned values; nothing was written");
    QVERIFY(!again->changed);
    QCOMPARE(w.chip().wordsProgrammed(), words);
  }

  void theSecondWordAndTheRestOfTheSectorStay() {
    CoreWorld w(withWords());
    put(w, kStart, 0xFFFFFF5F, ~0xFFFFFF5Fu);
    w.chip().words()->bytes()[0x40] = 0x12;
    const RecordPtr record = write(w, {{"access", "debug", 0xFE}});
    QCOMPARE(record->outcome, Outcome::Verified);
    QCOMPARE(wordAt(w, kStart), 0xFFFFFF5Fu);
    QCOMPARE(wordAt(w, kAccess), 0xFFFFFFFEu);
    QCOMPARE(w.chip().words()->bytes()[0x40], 0x12);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void whatWouldBeDoneIsSaidBefore() {
    CoreWorld w(withWords());
    WordsWanted wanted;
    wanted.core = "core";
    wanted.wishes = {{"access", "debug", 0x5A}};
    const RecordPtr record = carryOut(w, wanted, true);
    QCOMPARE(record->outcome, Outcome::Planned);
    QVERIFY(!record->changed);
    QCOMPARE(w.chip().wordsProgrammed(), 0u);
    std::string text;
    for (const plan::Step& step : record->plan->steps) text += step.title + ": " + step.why + "\n";
    VERIFY_CONTAINS(
        text,
        "Write the configuration word access: access: erased → 0xFFFFFF5A: debug 0x5A (closed until all is erased)");
    VERIFY_CONTAINS(text, "core is then locked for debuggers");
    VERIFY_CONTAINS(text, "Check that it is locked");
  }

  void aValueThatClosesIsReadBackAndThenSeenToClose() {
    CoreWorld w(withWords());
    const RecordPtr record = write(w, {{"access", "debug", 0x5A}});
    QVERIFY2(record->outcome == Outcome::Verified, record->message.c_str());
    VERIFY_CONTAINS(record->message, "core is now locked");
    QVERIFY(w.chip().lock()->closed());
    Seams seams(w);
    RunObserver nobody;
    QCOMPARE(unlockCore(w.bench(), "core", seams.records, nobody, {})->outcome, Outcome::Done);
    QCOMPARE(wordAt(w, kAccess), 0xFFFFFFFFu);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void permanentHasToBeSaid() {
    CoreWorld w(withWords());
    const RecordPtr refused = write(w, {{"access", "debug", 0xC3}});
    QCOMPARE(refused->outcome, Outcome::Refused);
    VERIFY_CONTAINS(refused->message,
                    "access = 0xFFFFFFC3 locks the chip permanently (debug 0xC3: closed permanently)");
    QCOMPARE(refused->help, Help::Permanent);
    QVERIFY(!refused->changed);
    const RecordPtr record = write(w, {{"access", "debug", 0xC3, true}});
    QVERIFY2(record->outcome == Outcome::Verified, record->message.c_str());
    QVERIFY(w.chip().lock()->closed());
    Seams seams(w);
    RunObserver nobody;
    const RecordPtr shut = unlockCore(w.bench(), "core", seams.records, nobody, {});
    VERIFY_CONTAINS(shut->message, "core is still locked");
  }

  void oneThatWasHalfWrittenIsToldAndWrittenWhole() {
    CoreWorld w(withWords());
    put(w, kStart, 0xFFFFFF5F, 0xFFFFFFFF);
    const RecordPtr field = write(w, {{"start", "board", 0x3}});
    QCOMPARE(field->outcome, Outcome::Refused);
    VERIFY_CONTAINS(field->message, "start is 0xFFFFFF5F (half written: its complement is 0xFFFFFFFF)");
    const RecordPtr whole = write(w, {{"start", {}, 0xFFFFFF3F}});
    QCOMPARE(whole->outcome, Outcome::Verified);
    QCOMPARE(wordAt(w, kStart), 0xFFFFFF3Fu);
  }

  void aCopyBringsThemBack() {
    CoreWorld w(withWords());
    put(w, kStart, 0xFFFFFF5F, ~0xFFFFFF5Fu);
    const RecordPtr record = write(w, {{"start", "board", 0x3}});
    QCOMPARE(record->outcome, Outcome::Verified);
    store::CopyStore store(w.path("copies").toStdString());
    QCOMPARE(store.list().size(), 1u);
    QCOMPARE(store.list().front().of.memory, "core, configuration words");
    const MemoryImage copy = store.contents(store.list().front());
    const auto wishes = wishesOf(w.bench().core("core").card(), copy);
    QCOMPARE(write(w, wishes)->outcome, Outcome::Verified);
    QCOMPARE(wordAt(w, kStart), 0xFFFFFF5Fu);
  }

  void whatDoesNotFitIsRefused() {
    CoreWorld w(withWords());
    const std::pair<sheet::WordWish, const char*> wrong[] = {
        {{"stat", {}, 1}, "has no configuration word named stat"},
        {{"start", "bored", 1}, "start has no field named bored"},
        {{"start", "board", 0x10}, "0x10 does not fit into board of start"},
    };
    for (const auto& [wish, text] : wrong) {
      const RecordPtr record = write(w, {wish});
      VERIFY_CONTAINS(record->message, text);
      QVERIFY(!record->changed);
    }
    CoreWorld running(withWords(false, R"(, "connect": "running")"));
    const RecordPtr record = write(running, {{"start", "board", 0x3}});
    QCOMPARE(record->outcome, Outcome::Refused);
    VERIFY_CONTAINS(record->message, "is only attached to");
    QCOMPARE(openNotes(running), 0u);
  }

  void theSheetLocksAtTheEnd() {
    CoreWorld w(withWords(false, R"(, "lock": true)"));
    QVERIFY(w.sheet().cores.front().lock);
    Seams seams(w);
    RunObserver nobody;
    const RecordPtr record = lockCore(w.bench(), "core", seams.records, nobody, {});
    QVERIFY2(record->outcome == Outcome::Done, record->message.c_str());
    VERIFY_CONTAINS(record->message,
                    "core is locked: the flash, the configuration words and the RAM can no longer be read");
    QVERIFY(w.chip().lock()->closed());
    const RecordPtr again = lockCore(w.bench(), "core", seams.records, nobody, {});
    VERIFY_CONTAINS(again->message, "was locked already; nothing was done");
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void aWordIsWrittenByHand() {
    CoreWorld w(withWords());
    Seams seams(w);
    RunObserver nobody;
    const RecordPtr record = pokeWord({"core", 0x20000010, 0x1234, 2}, w.bench(), seams.records, nobody, {});
    QVERIFY2(record->outcome == Outcome::Done, record->message.c_str());
    VERIFY_CONTAINS(record->message, "0x20000010 held 0x0000; 0x1234 was written manually, and it now reads 0x1234");
    VERIFY_CONTAINS(pokeWord({"core", 0x20000011, 1, 4}, w.bench(), seams.records, nobody, {})->message,
                    "is not a multiple of 4");
    VERIFY_CONTAINS(pokeWord({"core", 0x60000000, 1, 4}, w.bench(), seams.records, nobody, {})->message, "0x60000000");
  }

  /// What counts at once needs no reset, and the sheet's restart is one.
  void oneThatCountsAtOnceIsFollowedByTheRestartOnly() {
    CoreWorldOptions o = withWords();
    std::string text(o.files[0].second.begin(), o.files[0].second.end());
    for (std::size_t at = 0; (at = text.find("\"valid_after\": \"reset\"")) != std::string::npos;)
      text.replace(at, 22, "\"valid_after\": \"at-once\"");
    o.files[0].second.assign(text.begin(), text.end());
    CoreWorld w(o);
    const Bytes code = firmware({0xE7FE});
    std::copy(code.begin(), code.end(), w.chip().flash().begin());
    WordsWanted wanted;
    wanted.core = "core";
    wanted.wishes = {{"start", "board", 0x3}};
    wanted.restart = true;
    const RecordPtr record = carryOut(w, wanted);
    QVERIFY2(record->outcome == Outcome::Verified, record->message.c_str());
    QVERIFY(!w.chip().core().halted());
    QCOMPARE(w.chip().resets(), 1u);
  }

  /// Waited for, and then read once more.
  void oneThatCountsBehindAPowerCycleWaitsForIt() {
    CoreWorldOptions o = withWords();
    std::string text(o.files[0].second.begin(), o.files[0].second.end());
    for (std::size_t at = 0; (at = text.find("\"valid_after\": \"reset\"")) != std::string::npos;)
      text.replace(at, 22, "\"valid_after\": \"power-cycle\"");
    o.files[0].second.assign(text.begin(), text.end());
    CoreWorld w(o);
    w.bench().core("core");
    const sim::Time now = w.sim().board().now();
    w.sim().board().addFault({.kind = sim::BoardFault::Kind::NoPower,
                              .from = now + sim::fromSeconds(3.1),
                              .until = now + sim::fromSeconds(3)});
    const RecordPtr record = write(w, {{"start", "board", 0x3}});
    QVERIFY2(record->outcome == Outcome::Verified, record->message.c_str());
    QCOMPARE(w.chip().words()->start(), 0xFFFFFF3Fu);
  }
};

IMPRIMO_TEST(ConfigWordsTest);
#include "tst_config_words.moc"
