// SPDX-License-Identifier: GPL-3.0-or-later
//
// Probes, sharing and scanning from the command line.
#include <QTimer>
#include <thread>

#include "core/sheet/sheet.h"
#include "core/store/folders.h"
#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

std::function<void(QString&)> withFaults(const char* faults) {
  return [faults](QString& bench) { bench.insert(bench.indexOf('{') + 1, QString("\"faults\": [%1],").arg(faults)); };
}

}  // namespace

class ScanTest : public QObject {
  Q_OBJECT
 private slots:
  void probesAreListedWithWhatKeepsThem() {
    UsbTree tree;
    tree.addDap("1-1", "GAUGE-7", "River gauge probe");
    tree.addEngine("1-2", "", "Two-channel adapter", "ftdi_sio");
    tree.addDap("1-3", "GAUGE-9", "Old probe");
    tree.lock("1-3");
    const Answer text = Gauge::run({"probes"}, {}, tree.root());
    CODE(text, 0);
    QVERIFY2(text.out.contains(
                 "usb:GAUGE-7           CMSIS-DAP 2         River gauge probe             ready, JTAG, SWD, 0.30 ms "
                 "round trip"),
             qPrintable(text.out));
    QVERIFY(text.out.contains("claimed by the kernel's serial driver ftdi_sio as /dev/ttyUSB0"));
    QVERIFY(text.out.contains("imprimoctl probes --release usb:@1-2"));
    QVERIFY(text.out.contains("/etc/udev/rules.d/60-imprimo-probes.rules"));  // one is locked, so the rule is shown
    const QJsonObject json = Gauge::run({"probes", "--json"}, {}, tree.root()).json();
    QVERIFY(json["usb"].toBool());
    QCOMPARE(json["probes"].toArray().size(), 3);
    QCOMPARE(json["probes"].toArray()[0].toObject()["round_trip_us"].toInt(), 300);
    QCOMPARE(json["probes"].toArray()[2].toObject()["state"].toString(), "no-permission");
    QVERIFY(Gauge::run({"probes", "--rule"}, {}, tree.root()).out.contains("uaccess"));
    CODE(Gauge::run({"probes", "--release", "usb:GAUGE-7"}, {}, tree.root()), 1);
    CODE(Gauge::run({"probes", "--release", "usb:NOBODY"}, {}, tree.root()), 3);
  }

  void withoutUsbItSaysSo() {
    UsbTree tree;
    tree.removeUsb();
    const Answer a = Gauge::run({"probes", "--json"}, {}, tree.root());
    CODE(a, 0);
    QVERIFY(!a.json()["usb"].toBool());
    QVERIFY(a.json()["message"].toString().contains("this machine has no USB"));
    const Answer scan = Gauge::run({"scan"}, {}, tree.root());
    CODE(scan, 3);
    QVERIFY(scan.err.contains("no probe was found: this machine has no USB"));
    Gauge g;
    QCOMPARE(g.ctl({"probes", "--json"}).json()["probes"].toArray().last().toObject()["kind"].toString(), "CMSIS-DAP");
  }

  void aBrokenChainIsPrintedAsFarAsItAnswers() {
    Gauge g(withFaults(R"({"kind": "cut", "after": 1})"));
    const Answer bare = g.ctl({"scan"});
    CODE(bare, 3);
    QVERIFY(bare.out.contains("  ?  0x1f40affd  answers"));
    const Answer a = g.ctl({"scan", "--sheet", g.sheet(), "--json"});
    CODE(a, 3);
    QCOMPARE(a.json()["kind"].toString(), "broken-chain");
    QCOMPARE(a.json()["cut_behind"].toInt(), 1);
    QCOMPARE(a.json()["devices"].toArray().size(), 2);
    QCOMPARE(firstOf(a.json()["devices"])["position"].toInt(), 2);
    QVERIFY(g.ctl({"scan", "--sheet", g.sheet()}).err.contains("between part 1 (sequencer) and part 2 (correlator)"));
  }

  void aSheetIsComparedWith() {
    Gauge right;
    CODE(right.ctl({"scan", "--sheet", right.sheet()}), 0);
    Gauge swapped(withFaults(R"({"kind": "swapped", "positions": [1, 3]})"));
    const Answer a = swapped.ctl({"scan", "--sheet", swapped.sheet(), "--json"});
    CODE(a, 1);
    QVERIFY(!a.json()["agrees"].toBool(true));
    QVERIFY(a.json()["message"].toString().contains("part 1 should be 0x?c64affd (sequencer), found 0x0ba0affb"));
  }

  void aSheetIsMadeWithCodesAndMasks() {
    Gauge g;
    CODE(g.ctl({"--library", g.path("parts"), "scan", "-o", g.path("new.imprimo")}), 0);
    const sheet::Sheet made = sheet::readSheet(g.path("new.imprimo").toStdString());
    QCOMPARE(made.chain.size(), 3u);
    QCOMPARE(made.chain[1].idcodes[0].mask, 0x0FFFFFFFu);
    COMPARE_TEXT(made.chain[1].bsdlFile, "parts/tarn_t40.bsd");
    CODE(g.ctl({"scan", "--sheet", g.path("new.imprimo")}), 0);
  }

  void whereSeveralDescriptionsFitItIsAskedOnce() {
    Gauge g;
    QString other = QString::fromStdString(readTextFile(g.path("parts/tarn_t40.bsd").toStdString()));
    other.replace("TARN_T40", "TARN_T40S").replace("FABRIC_B (010111)", "FABRIC_B (011111)");
    g.write("parts/tarn_t40s.bsd", other.toUtf8());
    const Answer a = g.ctl({"--library", g.path("parts"), "scan", "--json"});
    CODE(a, 0);
    const QJsonObject device = a.json()["devices"].toArray()[1].toObject();
    QVERIFY(device["name"].isNull());
    QCOMPARE(device["candidates"].toArray().size(), 2);
    const Answer refused = g.ctl({"--library", g.path("parts"), "scan", "-o", g.path("new.imprimo")});
    CODE(refused, 1);
    QVERIFY(refused.err.contains("part 2 (0x1f40affd) may be TARN_T40 (tarn_t40.bsd) or TARN_T40S (tarn_t40s.bsd)"));
    CODE(g.ctl({"--library", g.path("parts"), "scan", "--bsdl", g.path("parts/tarn_t40s.bsd"), "-o",
                g.path("new.imprimo")}),
         0);
    COMPARE_TEXT(sheet::readSheet(g.path("new.imprimo").toStdString()).chain[1].bsdlFile, "parts/tarn_t40s.bsd");
  }

  void theFastestClockIsTold() {
    Gauge g(withFaults(R"({"kind": "tdo-noise", "above": 13000000, "rate": 0.004})"));
    const Answer bare = g.ctl({"scan", "--clock"});
    CODE(bare, 0);
    QVERIFY(bare.out.contains("suggested: 12 MHz: the first errors are at 15 MHz; this keeps a fifth below"));
    const QJsonObject clock = g.ctl({"scan", "--clock", "--sheet", g.sheet(), "--json"}).json()["clock"].toObject();
    QCOMPARE(clock["suggested"].toInt(), 12'000'000);
    QVERIFY(clock["memories"].toObject()["boot-flash"].toObject()["suggested"].toInt() <= 12'000'000);
    Gauge hopeless(withFaults(R"({"kind": "tdo-noise", "above": 1000000, "rate": 0.2})"));
    QVERIFY(hopeless.ctl({"scan", "--clock"}).out.contains("suggested: 1 MHz"));
  }

  void itWaitsForTheTarget() {
    Gauge g(withFaults(R"({"kind": "late-power", "seconds": 4})"));
    CODE(g.ctl({"scan"}), 3);
    const Answer a = g.ctl({"--wait", "20", "scan"});
    CODE(a, 0);
    QVERIFY(a.err.contains("waiting for the target, "));
    Gauge never(withFaults(R"({"kind": "no-power"})"));
    const Answer late = never.ctl({"--wait", "3", "verify", never.sheet(), "--json"});
    CODE(late, 3);
    QVERIFY(late.json()["message"].toString().contains("waited 3 s for the target"));
  }

  void badInputIsExit2() {
    Gauge g;
    g.write("parts/bad.bsd",
            "entity X is attribute INSTRUCTION_LENGTH of X : entity is 4;\n"
            "attribute INSTRUCTION_OPCODE of X : entity is \"BYPASS (11112)\"; end X;");
    const Answer a = g.ctl({"scan", "--bsdl", g.path("parts/bad.bsd")});
    CODE(a, 2);
    QVERIFY2(a.err.contains("bad.bsd:2:56: a bit is 0, 1 or X, not"), qPrintable(a.err));
    // A fault in the boundary register keeps nobody from working with the chain.
    g.write(
        "parts/bad.bsd",
        "entity X is attribute INSTRUCTION_LENGTH of X : entity is 4; attribute BOUNDARY_LENGTH of X : entity is 1;\n"
        "attribute BOUNDARY_REGISTER of X : entity is \"0 (BC_1, A, input, X)\"; end X;");
    const Answer b = g.ctl({"scan", "--bsdl", g.path("parts/bad.bsd")});
    CODE(b, 0);
    QVERIFY2(b.err.contains("bad.bsd:2:56: A is no port of this part"), qPrintable(b.err));
    QString sheet = QString::fromStdString(readTextFile(g.sheet().toStdString()));
    sheet.replace("\"0x0FFFFFFF\"", "\"0x0\"");
    g.write("any.imprimo", sheet.toUtf8());
    const Answer mask = g.ctl({"scan", "--sheet", g.path("any.imprimo")});
    CODE(mask, 2);
    QVERIFY2(mask.err.contains("chain[1].mask: fits every part"), qPrintable(mask.err));
    // BSDL of another part: the chain is not what the sheet then says.
    sheet.replace("\"0x0\"", "\"0x0FFFFFFF\"").replace("\"parts/beck_k0.bsd\"", "\"parts/wren_c64.bsd\"");
    g.write("wrong.imprimo", sheet.toUtf8());
    CODE(g.ctl({"scan", "--sheet", g.path("wrong.imprimo")}), 1);
    CODE(g.ctl({"--adapter", g.path("nothing.json"), "scan"}), 2);  // although this probe does not need it
    CODE(Gauge::run({"--probe", "mpsse-tcp:127.0.0.1:1", "--adapter", g.path("bench.json"), "scan"}), 2);
  }

  void sharingIsForThisComputerOrWithAToken() {
    Gauge g;
    const Answer open = g.ctl({"share", "--listen", "0.0.0.0:0"});
    CODE(open, 2);
    QVERIFY(open.err.contains("other computers reach 0.0.0.0:0, so a token is needed there"));
    CODE(g.ctl({"share"}), 2);  // what is reached over TCP is shared already
    CODE(g.ctl({"share", "--listen", "nowhere"}), 2);
    g.write("empty", "\n");
    CODE(g.ctl({"--token-file", g.path("empty"), "share"}), 2);
  }

  void anAdapterIsSharedOnAndUsedFromThere() {
    Gauge g;
    auto bench = sim::readBench(g.path("bench.json").toStdString());
    sim::BenchServer engine(*bench, {.mpsse = true});
    g.write("token", "river bed 7\n");
    std::string reason;
    const std::string place =
        HostPort{"127.0.0.1", portOf(listenOn({"127.0.0.1", 0}, reason))}.text();  // free a moment ago
    const QString shared = QString::fromStdString("tcp:" + place);
    std::stop_source stop;
    std::ostringstream out, err;
    int code = -1;
    std::jthread server([&] {
      code = ctl::runCommandLine(
          {"--probe", engine.address(), "--token-file", g.path("token").toStdString(), "share", "--listen", place}, out,
          err, stop.get_token());
    });
    Answer scan;
    for (int i = 0; i < 100 && scan.code != 0; ++i) {
      scan = Gauge::run({"--probe", shared, "--token-file", g.path("token"), "scan"});
      if (scan.code != 0) QTest::qWait(50);
    }
    CODE(scan, 0);
    QVERIFY(scan.out.contains("3 parts, 18 instruction bits"));
    CODE(Gauge::run({"--probe", shared, "scan"}), 3);
    stop.request_stop();
    server.join();
    QCOMPARE(code, 0);
    QVERIFY(QString::fromStdString(out.str()).startsWith("sharing mpsse-tcp:"));
    QVERIFY(!QString::fromStdString(out.str() + err.str()).contains("river bed"));
  }
};
IMPRIMO_TEST(ScanTest);
#include "tst_scan.moc"
