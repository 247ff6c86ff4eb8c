// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a core says, on the command line.
#include "tests/ctl/float_sensor.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class ConsoleCommandTest : public QObject {
  Q_OBJECT
 private slots:
  void whatItSaysIsPrintedAsItComes() {
    FloatSensor s;
    const Answer said = s.ctl({"console", "--for", "0.55"});
    CODE(said, 0);
    QVERIFY2(said.out.startsWith("Float sensor, release 1\nlevel=1200 battery=3601\nlevel=1216 battery=3601\n"),
             qPrintable(said.out));
    QVERIFY2(said.err.isEmpty(), qPrintable(said.err));
    // It was heard without being halted.
    QCOMPARE(firstOf(s.ctl({"cores", "--json"}).json()["cores"])["state"].toString(), QString("sleeping"));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  /// A script waits for a text; it ends with 1 where that does not come.
  void aTextIsWaitedFor() {
    FloatSensor s;
    const Answer seen = s.ctl({"console", "--expect", "level=1264", "--for", "20", "--json"});
    CODE(seen, 0);
    const QJsonObject json = seen.json();
    QCOMPARE(json["result"].toString(), QString("seen"));
    QCOMPARE(json["source"].toString(), QString("ring"));
    QCOMPARE(json["lost"].toInt(), 0);
    QVERIFY(json["bytes"].toInt() > 100 && json["text"].toString().contains("level=1264"));
    const Answer not_ = s.ctl({"console", "--expect", "self-test passed", "--for", "0.3", "--json"});
    CODE(not_, 1);
    QCOMPARE(not_.json()["result"].toString(), QString("not-seen"));
    const Answer until = s.ctl({"console", "--until", "self-test passed", "--for", "0.3"});
    CODE(until, 0);
    QVERIFY2(until.err.contains("\"self-test passed\" was not seen"), qPrintable(until.err));
    QCOMPARE(s.ctl({"console", "--for", "0.2", "--json"}).json()["result"].toString(), QString("ended"));
  }

  /// The float sensor's ring takes no input, which is said.
  void whatIsNotTakenIsTold() {
    FloatSensor s;
    const Answer said = s.ctl({"console", "--send", "hello", "--for", "0.2"});
    CODE(said, 0);
    QVERIFY2(said.err.contains("sensor did not take 6 bytes of what --send says"), qPrintable(said.err));
  }

  void wrongUseIsTold() {
    FloatSensor s;
    CODE(s.ctl({"console", "--expect", "a", "--until", "b"}), 2);
    CODE(s.ctl({"console", "--for", "soon"}), 2);
    CODE(s.ctl({"console", "--for", "-1"}), 2);
    CODE(s.ctl({"console", "--core", "other", "--for", "1"}), 2);
    const Answer source = s.ctl({"console", "--source", "radio", "--for", "1"});
    CODE(source, 2);
    QVERIFY2(source.err.contains("there is no source radio"), qPrintable(source.err));
  }

  void aLockedCoreIsRefused() {
    FloatSensor s([](QString& bench) { bench.replace("\"locked\": false", "\"locked\": true"); });
    const Answer locked = s.ctl({"console", "--for", "0.1"});
    CODE(locked, 1);
    QVERIFY2(locked.err.contains("sensor is locked"), qPrintable(locked.err));
  }
};

IMPRIMO_TEST(ConsoleCommandTest);
#include "tst_console_command.moc"
