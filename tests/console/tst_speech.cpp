// SPDX-License-Identifier: GPL-3.0-or-later
//
// A run that waits until its firmware says something, as the sheet has it.
#include "core/run/job.h"
#include "core/run/word_runs.h"
#include "tests/console/console_world.h"
#include "tests/support/check.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

class SpeechTest : public QObject {
  Q_OBJECT

  static CoreWorldOptions waitingFor(const char* text, const char* more = "") {
    CoreWorldOptions o;
    o.coreKeys = std::string(", \"console\": {\"wait_for\": \"") + text + "\", \"seconds\": 0.2" + more + "}";
    o.sheet =
        ", \"after\": [\"restart\"], \"placements\": [{\"memory\": \"program\", \"file\": \"new.bin\", \"at\": "
        "\"0x0\"}]";
    return o;
  }
  static Record programmed(CoreWorld& w, const Bytes& code) {
    QFile file(w.path("new.bin"));
    if (file.open(QIODevice::WriteOnly))
      file.write(reinterpret_cast<const char*>(code.data()), static_cast<qint64>(code.size()));
    file.close();
    return w.carryOut(wantedFor(w.sheet(), "program", Task::Program));
  }

 private slots:
  void aRunEndsWhenItWasSaid() {
    CoreWorld w(waitingFor("gauge ready"));
    const Record record = programmed(w, consoleFirmware("GREET"));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    VERIFY_CONTAINS(record.message, "core said \"gauge ready\" after");
    QVERIFY(record.heard && record.heard->seen);
    QCOMPARE(record.heard->text, std::string("gauge ready\n"));
    VERIFY_CONTAINS(record.text(), "\"text\": \"gauge ready\\n\"");
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// What was written holds all the same, and that is said.
  void whatIsNotSaidInTimeIsAMismatch() {
    CoreWorld w(waitingFor("self-test passed"));
    const Record record = programmed(w, consoleFirmware("GREET"));
    QCOMPARE(record.outcome, Outcome::Mismatch);
    QVERIFY(!record.good());
    VERIFY_CONTAINS(record.message,
                    "core did not say \"self-test passed\" within 0.2 s; the last it said was \"gauge ready\".");
    VERIFY_CONTAINS(record.message, "confirmed");
    QCOMPARE(record.heard->text, std::string("gauge ready\n"));
  }

  /// A ring that an earlier firmware left in RAM is not what the new one says.
  void whatWasLeftBehindIsNotTaken() {
    CoreWorld w(waitingFor("gauge ready"));
    std::copy_n(consoleFirmware("GREET").begin(), 0x400, w.chip().flash().begin());
    w.chip().core().reset(false);
    w.pass(0.05);
    const Record record = programmed(w, firmware({0xE7FE}));
    QCOMPARE(record.outcome, Outcome::Mismatch);
    VERIFY_CONTAINS(record.message, "it said nothing");
  }

  void aProgramThatEndsIsNotWaitedFor() {
    CoreWorld w(waitingFor("never", ", \"sources\": [\"semihosting\"]"));
    const Record record = programmed(w, consoleFirmware("ASK_HOST"));
    QCOMPARE(record.outcome, Outcome::Mismatch);
    VERIFY_CONTAINS(record.message, "its program ended with 7");
    QCOMPARE(record.heard->text, std::string("from the host's side\nxfrom"));
  }

  void whatASheetCannotMeanIsToldWhereItStands_data() {
    QTest::addColumn<QString>("console");
    QTest::addColumn<QString>("what");
    QTest::newRow("source") << "{\"sources\": [\"radio\"]}"
                            << "should be \"ring\", \"itm\", \"semihosting\", \"serial\" or \"serial:PORT\"";
    QTest::newRow("none") << "{\"sources\": []}"
                          << "names no source";
    QTest::newRow("text") << "{\"wait_for\": \"\"}"
                          << "is a text";
    QTest::newRow("seconds") << "{\"wait_for\": \"a\", \"seconds\": 0}"
                             << "more than 0";
  }
  void whatASheetCannotMeanIsToldWhereItStands() {
    QFETCH(QString, console);
    QFETCH(QString, what);
    CoreWorldOptions o;
    o.coreKeys = ", \"console\": " + console.toStdString();
    const std::string told = errorOf([&] { CoreWorld w(o); });
    VERIFY_CONTAINS(told, "cores[0].console");
    VERIFY_CONTAINS(told, what.toStdString());
  }
};

IMPRIMO_TEST(SpeechTest);
#include "tst_speech.moc"
