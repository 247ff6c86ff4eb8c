// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a core says, on the command line.
#include <thread>

#include "sim/serial/serial_pty.h"
#include "tests/console/console_world.h"
#include "tests/ctl/float_sensor.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// The bench's probe hears SWO, and its core has trace and a serial interface.
void withTraceAndLine(QString& bench) {
  bench.replace("\"locked\": false", "\"locked\": false, \"swo\": {}, \"uart\": 115200");
  bench.replace("\"probe\": {", "\"probe\": {\"swo\": {}, ");
}

}  // namespace

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

  /// By trace, with what is known of it said; the sheet names the port's number.
  void traceIsPrinted() {
    FloatSensor s([](QString& bench) { withTraceAndLine(bench); },
                  [](QString& sheet) {
                    sheet.replace("\"card\":",
                                  "\"console\": {\"swo\": {\"rate\": 500000, \"ports\": [{\"port\": 3, "
                                  "\"name\": \"level\"}]}}, \"card\":");
                  },
                  consoleFirmware("TRACE"));
    const Answer said = s.ctl({"console", "--source", "itm", "--expect", "level=1", "--for", "5", "--json"});
    CODE(said, 0);
    QCOMPARE(said.json()["source"].toString(), QString("itm 3"));
    const Answer text = s.ctl({"console", "--source", "itm", "--for", "1"});
    QVERIFY2(text.out.contains("\ntick\nlevel="), qPrintable(text.out));
    QVERIFY2(text.err.contains("imprimoctl: itm: trace comes with "), qPrintable(text.err));
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void noTraceIsRefused() {
    FloatSensor s;
    const Answer none = s.ctl({"console", "--source", "itm", "--for", "1"});
    CODE(none, 1);
    QVERIFY2(none.err.contains("cannot listen to SWO"), qPrintable(none.err));
  }

  /// A serial port needs no probe; with other sources beside it, it does.
  void aSerialPortIsPrinted() {
    FloatSensor s([](QString& bench) { withTraceAndLine(bench); }, {}, consoleFirmware("ALL"));
    std::unique_ptr<sim::SerialPty> port;
    s.server().with([&](sim::Bench& bench) { port = std::make_unique<sim::SerialPty>(bench.board()); });
    std::jthread pump([&](const std::stop_token& stop) {
      while (!stop.stop_requested()) {
        s.server().with([&](sim::Bench& bench) {
          bench.board().advance(sim::fromSeconds(0.002));
          port->pump();
        });
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
      }
    });
    const QString source = "serial:" + QString::fromStdString(port->path());
    const Answer alone = Gauge::run(
        {"console", s.sheet(), "--source", source, "--expect", "by the line\r\nby the line", "--for", "20", "--json"});
    CODE(alone, 0);
    QCOMPARE(alone.json()["result"].toString(), QString("seen"));
    const Answer both = s.ctl({"console", "--source", source, "--source", "ring", "--for", "0.5"});
    CODE(both, 0);
    QVERIFY2(both.out.contains("by the line") && both.out.contains("by the ring"), qPrintable(both.out));
    const Answer none = Gauge::run({"console", s.sheet(), "--source", "serial:/dev/ttyNone9", "--for", "1"});
    CODE(none, 1);
    QVERIFY2(none.err.contains("the serial port /dev/ttyNone9 does not open"), qPrintable(none.err));
  }

  void portsAreListed() {
    UsbTree tree;
    tree.addDap("1-2", "LINK", "Probe");
    tree.addSerial("1-2", 2, "ttyACM0", "cdc_acm");
    tree.addPlain("1-6", "CABLE", "Cable");
    tree.addSerial("1-6", 0, "ttyUSB0", "ftdi_sio");
    tree.hold("1-6", 812, "gauge-logger", "/dev/ttyUSB0");
    const Answer text = Gauge::run({"--probe", "usb:LINK", "ports"}, {}, tree.root());
    CODE(text, 0);
    QVERIFY2(text.out.contains("/dev/ttyACM0          this probe, Made up Probe (LINK)\n"), qPrintable(text.out));
    QVERIFY2(text.out.contains("an adapter, Made up Cable (CABLE), the newest, held by gauge-logger (process 812)"),
             qPrintable(text.out));
    const QJsonArray ports = Gauge::run({"ports", "--json"}, {}, tree.root()).json()["ports"].toArray();
    QCOMPARE(ports.size(), 2);
    QCOMPARE(ports[0].toObject()["on"].toString(), QString("probe"));
    QCOMPARE(ports[1].toObject()["holder"].toObject()["process"].toInt(), 812);
    UsbTree nothing;
    QCOMPARE(Gauge::run({"ports"}, {}, nothing.root()).err, QString("imprimoctl: no serial port\n"));
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
