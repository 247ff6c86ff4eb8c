// SPDX-License-Identifier: GPL-3.0-or-later
//
// Configuration words, the lock and words by hand, on the command line.
#include "tests/ctl/float_sensor.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class WordCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void configurationWordsAreShownAndWritten() {
    FloatSensor s;
    const Answer shown = s.ctl({"words", "--json"});
    CODE(shown, 0);
    const QJsonObject start = firstOf(shown.json()["words"]);
    QCOMPARE(start["name"].toString(), QString("start"));
    QCOMPARE(start["state"].toString(), QString("erased"));
    QCOMPARE(firstOf(start["fields"])["means"].toString(), QString("when the firmware starts it"));
    QVERIFY(s.ctl({"words"}).out.contains("7..4  board"));
    const Answer planned = s.ctl({"words", "--set", "start[board]=3", "--dry-run", "--json"});
    CODE(planned, 0);
    QCOMPARE(planned.json()["result"].toString(), QString("planned"));
    const Answer done = s.ctl({"words", "sensor", "--set", "start[board]=3", "--json"});
    CODE(done, 0);
    QCOMPARE(done.json()["result"].toString(), QString("verified"));
    QCOMPARE(firstOf(done.json()["words"])["after"].toString(), QString("0xFFFFFF3F"));
    CODE(s.ctl({"words", "--set", "start=0xFFFFFF5F"}), 0);
    CODE(s.ctl({"words", "--restore", "newest"}), 0);
    QCOMPARE(firstOf(s.ctl({"words", "--json"}).json()["words"])["value"].toString(), QString("0xFFFFFF3F"));
    const Answer permanent = s.ctl({"words", "--set", "access[debug]=0xC3"});
    CODE(permanent, 1);
    QVERIFY2(permanent.err.contains("--permanent says so"), qPrintable(permanent.err));
    CODE(s.ctl({"words", "--set", "start[bored]=3"}), 2);
    CODE(s.ctl({"words", "--set", "start[board"}), 2);
    CODE(s.ctl({"words", "--set", "start[board]=0x10"}), 2);
    CODE(s.ctl({"words", "--restore", "no-such-copy"}), 2);
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  /// Files, words, lock: one run of the sheet, in this order.
  void theSheetsWordsAndItsLockArePartOfTheRun() {
    FloatSensor s({}, [](QString& sheet) {
      sheet.replace("\"beck_k0_core.json\"",
                    "\"beck_k0_core.json\", \"lock\": true, "
                    "\"words\": [{\"word\": \"start\", \"field\": \"board\", \"value\": \"0x7\"}]");
    });
    const Answer planned = s.ctl({"program", "--dry-run"});
    CODE(planned, 0);
    QVERIFY2(planned.err.contains("sensor is locked at the end"), qPrintable(planned.err));
    QVERIFY2(planned.out.contains("1 configuration word of sensor would be written"), qPrintable(planned.out));
    const Answer done = s.ctl({"program", "--json"});
    CODE(done, 0);
    QCOMPARE(done.json()["result"].toString(), QString("verified"));
    const QJsonArray afterwards = done.json()["afterwards"].toArray();
    QCOMPARE(afterwards.size(), 2);
    QCOMPARE(afterwards[0].toObject()["task"].toString(), QString("words"));
    QCOMPARE(firstOf(afterwards[0].toObject()["words"])["after"].toString(), QString("0xFFFFFF7F"));
    QVERIFY(afterwards[0].toObject().contains("watched"));
    QVERIFY(afterwards[1].toObject()["message"].toString().contains("sensor is locked"));
    CODE(s.ctl({"verify"}), 1);
    QVERIFY(firstOf(s.ctl({"cores", "--json"}).json()["cores"])["locked"].toBool());
    CODE(s.ctl({"unlock", "--destroy"}), 0);
    CODE(s.ctl({"program"}), 0);
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  /// A run of one of several memories does not shut out the others.
  void oneOfSeveralMemoriesDoesNotLock() {
    FloatSensor s({}, [](QString& sheet) {
      sheet.replace("\"beck_k0_core.json\"", "\"beck_k0_core.json\", \"lock\": true");
      sheet.replace("\"memories\": [",
                    "\"memories\": [{\"name\": \"area\", \"type\": \"core-flash\", \"route\": "
                    "{\"via\": \"core\", \"core\": \"sensor\", \"region\": \"words\"}},");
      sheet.replace("\"placements\": [",
                    "\"placements\": [{\"memory\": \"area\", \"file\": \"area.bin\", "
                    "\"at\": \"0x1FFF0040\"},");
    });
    QFile file(s.path("area.bin"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write("ABCD");
    file.close();
    const Answer one = s.ctl({"program", "program"});
    CODE(one, 0);
    QVERIFY2(one.err.contains("sensor is not locked by this run"), qPrintable(one.err));
    const Answer all = s.ctl({"program"});
    CODE(all, 0);
    QVERIFY(firstOf(s.ctl({"cores", "--json"}).json()["cores"])["locked"].toBool());
  }

  void wordsThatTheCardDoesNotHaveAreKnownBefore() {
    FloatSensor s({}, [](QString& sheet) {
      sheet.replace("\"beck_k0_core.json\"",
                    "\"beck_k0_core.json\", \"words\": [{\"word\": \"stat\", \"value\": \"0x7\"}]");
    });
    const Answer refused = s.ctl({"program"});
    CODE(refused, 2);
    QVERIFY2(refused.err.contains("no configuration word named stat"), qPrintable(refused.err));
    CODE(s.ctl({"verify"}), 1);  // nothing was written
  }

  void aWordOfTheBusIsWrittenByHand() {
    FloatSensor s;
    const Answer done = s.ctl({"poke", "0x20003000", "0x12345678", "--json"});
    CODE(done, 0);
    QCOMPARE(firstOf(done.json()["words"])["after"].toString(), QString("0x12345678"));
    CODE(s.ctl({"poke", "0x20003001", "1"}), 2);
    CODE(s.ctl({"poke", "0x20003001", "0x100", "--width", "8"}), 2);
    CODE(s.ctl({"poke", "0x20003001", "1", "--width", "12"}), 2);
    CODE(s.ctl({"poke", "here", "1"}), 2);
    const Answer nowhere = s.ctl({"poke", "0x60000000", "1"});
    CODE(nowhere, 1);
    QVERIFY2(nowhere.err.contains("0x60000000"), qPrintable(nowhere.err));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }
};

IMPRIMO_TEST(WordCommandsTest);
#include "tst_word_commands.moc"
