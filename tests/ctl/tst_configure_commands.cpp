// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>

#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class ConfigureCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void configuresAndTellsHowThePartIs() {
    Gauge g;
    const Answer a = g.ctl({"configure", g.sheet(), "correlator", g.path("echo_correlator.bin"), "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["result"].toString(), "configured");
    QCOMPARE(a.json()["device"].toString(), "correlator");
    QCOMPARE(a.json()["bits"].toInt(), 9458176);
    const QJsonObject device = firstOf(a.json()["parts"]);
    QCOMPARE(device["usercode"].toString(), "0x52320002");
    QCOMPARE(device["runs"].toBool(), true);
    QCOMPARE(device["status"].toObject()["CRC error"].toInt(-1), 0);
    QVERIFY(a.json()["seconds"].toObject().contains("configure"));
    const Answer devices = g.ctl({"parts", g.sheet(), "--json"});
    CODE(devices, 0);
    QCOMPARE(devices.json()["parts"].toArray().size(), 3);
    QVERIFY(g.ctl({"parts", g.sheet(), "correlator"}).out.contains("a design runs; user code 0x52320002"));
    QCOMPARE(g.server().with([](sim::Bench& b) { return b.violations(); }), std::string());
  }

  void theSheetsFileIsTakenWhereNoneIsNamed() {
    Gauge g;
    const Answer dry = g.ctl({"configure", g.sheet(), "sequencer", "--dry-run", "--json"});
    CODE(dry, 0);
    QCOMPARE(dry.json()["result"].toString(), "planned");
    QVERIFY(dry.json()["steps"].toArray().size() > 8);
    const Answer a = g.ctl({"configure", g.sheet(), "sequencer", "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["result"].toString(), "verified");
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--action", "verify"}), 0);
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--action", "blank_check"}), 1);
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--action", "read", "-o", g.path("read.isc")}), 0);
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--action", "program_usercode", "--usercode", "0x12345678"}), 0);
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--action", "erase"}), 0);
    // What was read goes in again as it came out.
    const Answer back = g.ctl({"configure", g.sheet(), "sequencer", g.path("read.isc"), "--json"});
    CODE(back, 0);
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--action", "verify"}), 0);
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--action", "secure"}), 0);
    const Answer secured =
        g.ctl({"configure", g.sheet(), "sequencer", "--action", "read", "-o", g.path("no.isc"), "--json"});
    CODE(secured, 1);
    QCOMPARE(secured.json()["result"].toString(), "refused");
    QVERIFY(!QFile::exists(g.path("no.isc")));
  }

  void choicesOfProceduresAreTaken() {
    Gauge g;
    CODE(g.ctl({"configure", g.sheet(), "sequencer", "--with", "proc_secure", "--without", "proc_verify", "--json"}),
         0);
    QVERIFY(g.ctl({"parts", g.sheet(), "sequencer"}).out.contains("secured"));
  }

  void badInputIsExit2BeforeTheProbeIsTouched() {
    Gauge g;
    const auto refused = [&](QStringList words, const char* what) {
      words = QStringList{"--probe", "tcp:127.0.0.1:1", "configure", g.sheet()} + words;
      const Answer a = Gauge::run(words);
      QVERIFY2(a.code == 2 && a.err.contains(what),
               qPrintable(words.join(" ") + QString::number(a.code) + ": " + a.err));
    };
    refused({"correlator"}, "correlator needs a file");
    refused({"nobody", "x"}, "the sheet's chain has no part named nobody");
    refused({"supervisor", g.path("fallback.bin")}, "nothing says how supervisor (BECK_K0) is configured");
    refused({"correlator", g.path("sequencer.jed")}, "is a fuse file; TARN_T40 takes a bitstream");
    refused({"sequencer", g.path("fallback.bin")}, "bits too long for proc_program(array)");
    refused({"sequencer", "--action", "melt"}, "has no action melt");
    refused({"sequencer", "--usercode", "0x123456789"}, "--usercode has 32 bits");
    // Another part's bitstream, told by its header.
    QByteArray image = QByteArray::fromStdString(readTextFile(g.path("fallback.bin").toStdString()));
    image[38] = 0x11;
    g.write("other.bin", image);
    refused({"correlator", g.path("other.bin")}, "the bitstream is for a part with IDCODE 0x1f4011fd");
    g.write("short.bin", image.left(1000));
    refused({"correlator", g.path("short.bin")}, "IDCODE");
    QByteArray fuses = QByteArray::fromStdString(readTextFile(g.path("sequencer.jed").toStdString()));
    fuses[fuses.indexOf("\nL") + 9] = fuses[fuses.indexOf("\nL") + 9] == '1' ? '0' : '1';
    g.write("broken.jed", fuses);
    refused({"sequencer", g.path("broken.jed")}, "checksum");
    g.write(
        "card.json",
        R"({"imprimo_configuration": 1, "name": "n", "part": "TARN_T40", "status": {"capture": true, "bits": {"2": "x"}},
 "configure": [{"data": "FAB_LOAD"}, {"until": {"x": 1}}]})");
    refused({"correlator", g.path("fallback.bin"), "--config-card", g.path("card.json")}, "could wait for ever");
    QByteArray bsdl = QByteArray::fromStdString(readTextFile(g.path("parts/wren_c64.bsd").toStdString()));
    g.write("parts/wren_c64.bsd",
            bsdl.replace("(ISC_DATA_SHIFT 128:? WAIT TCK 1)", "(ISC_DATA_SHFT 128:? WAIT TCK 1)"));
    refused({"sequencer"}, "ISC_DATA_SHFT has no opcode in INSTRUCTION_OPCODE");
  }

  void restartLetsTheDesignComeBack() {
    Gauge g;
    CODE(g.ctl({"identify", g.sheet()}), 0);
    QVERIFY(g.ctl({"parts", g.sheet(), "correlator"}).out.contains("user code 0xb21d6e01"));
    const Answer a = g.ctl({"restart", g.sheet(), "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["result"].toString(), "done");
    QCOMPARE(firstOf(a.json()["parts"])["usercode"].toString(), "0x52320001");
    // Without a good design in the flash it does not come up, and that is said.
    CODE(g.ctl({"erase", g.sheet(), "--range", "0..0xFFF"}), 0);  // the fallback starts
    const Answer none = g.ctl({"erase", g.sheet(), "--range", "0x400000..0x400FFF"});
    CODE(none, 4);
    QVERIFY(none.err.contains("correlator was told to start from boot-flash and does not come up"));
    CODE(g.ctl({"restart", g.sheet()}), 1);
  }

  void loadingTheBridgeIsSaid() {
    Gauge g;
    QVERIFY(g.ctl({"identify", g.sheet()})
                .err.contains("loading the bridge into correlator; the design that runs there stops"));
    QVERIFY(!g.ctl({"identify", g.sheet()}).err.contains("loading"));
  }
};
IMPRIMO_TEST(ConfigureCommandsTest);
#include "tst_configure_commands.moc"
