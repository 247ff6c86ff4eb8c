// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/command_line.h"

#include "core/base/input_file.h"
#include "core/bench/memory_kinds.h"
#include "sim/bench_server.h"
#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::test;

class CommandLineTest : public QObject {
  Q_OBJECT
 private slots:
  void scanNamesPartsFromTheLibrary() {
    Gauge g;
    const Answer a = g.ctl({"--library", g.path("parts"), "scan", "--json"});
    CODE(a, 0);
    QCOMPARE(
        a.out.trimmed(),
        QString(
            R"({"devices":[{"position":1,"idcode":"0x0c64affd","ir_length":8,"name":"WREN_C64"},{"position":2,"idcode":"0x1f40affd","ir_length":6,"name":"TARN_T40"},{"position":3,"idcode":"0x0ba0affb","ir_length":4,"name":"BECK_K0"}],"ir_total":18})"));
    const QJsonObject bare = g.ctl({"--json", "scan"}).json();
    const QJsonObject device = firstOf(bare["devices"]);
    QVERIFY(device["name"].isNull() && device["ir_length"].isNull());
    QCOMPARE(device["ir_min"].toInt(), 8);
    QCOMPARE(device["ir_max"].toInt(), 10);
  }

  void scanStartsASheet() {
    Gauge g;
    CODE(g.ctl({"--library", g.path("parts"), "scan", "-o", g.path("new.imprimo")}), 0);
    QCOMPARE(sheet::readSheet(g.path("new.imprimo").toStdString()).chain.size(), 3u);
    CODE(g.ctl({"--library", g.path("parts"), "scan", "-o", g.path("new.imprimo")}), 2);  // a sheet is not written over
    CODE(g.ctl({"scan", "-o", g.path("other.imprimo")}), 1);                              // lengths are not certain
    QVERIFY(!QFile::exists(g.path("other.imprimo")));
  }

  void identifyTellsAndSaves() {
    Gauge g;
    const Answer a = g.ctl({"identify", g.sheet(), "boot-flash", "--json", "--save"});
    CODE(a, 0);
    QCOMPARE(a.json()["id"].toString(), "0x7e4017");
    QCOMPARE(a.json()["size"].toInt(), 8 << 20);
    QCOMPARE(firstOf(a.json()["erase"])["opcode"].toString(), "0x20");
    QCOMPARE(a.json()["source"].toString(), "sfdp");
    QCOMPARE(bench::geometryOnPaper(sheet::readSheet(g.sheet().toStdString()), "boot-flash")->size, 8u << 20);
    // Now that the size is known, what cannot fit is found without asking anybody.
    g.write("big.bin", QByteArray((8 << 20) + 1, 'x'));
    CODE(Gauge::run({"program", g.sheet(), "--place", g.path("big.bin@0")}), 2);
  }

  void programsConfirmsAndReadsBack() {
    Gauge g;
    CODE(g.ctl({"verify", g.sheet()}), 1);
    const Answer dry = g.ctl({"program", g.sheet(), "--dry-run", "--json"});
    CODE(dry, 0);
    QCOMPARE(dry.json()["result"].toString(), "planned");
    QVERIFY(dry.json()["steps"].toArray().size() >= 6);
    const Answer a = g.ctl({"program", g.sheet(), "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["result"].toString(), "verified");
    QVERIFY(a.json()["bytes"].toInt() > 250'000);
    QCOMPARE(firstOf(a.json()["erased"])["from"].toString(), "0x000000");
    for (const char* key : {"identify", "erase", "program", "verify"})
      QVERIFY(a.json()["seconds"].toObject().contains(key));
    const Answer verified = g.ctl({"verify", g.sheet(), "--json"});
    CODE(verified, 0);
    QCOMPARE(verified.json()["result"].toString(), "match");
    CODE(g.ctl({"read", g.sheet(), "--from", "0x6A2A00", "--length", "94", "-o", g.path("out.bin")}), 0);
    QCOMPARE(readFile(g.path("out.bin").toStdString()), readFile(g.path("release-1/station.txt").toStdString()));
    QCOMPARE(g.server().with([](sim::Bench& b) { return b.violations(); }), std::string());
  }

  void erasesAndLooksWhetherItIsBlank() {
    Gauge g;
    CODE(g.ctl({"erase", g.sheet()}), 2);
    CODE(g.ctl({"erase", g.sheet(), "--all", "--range", "0+1"}), 2);
    const Answer before = g.ctl({"blank", g.sheet(), "--range", "0x10000..0x1FFFF", "--json"});
    CODE(before, 1);
    QCOMPARE(before.json()["result"].toString(), "not-blank");
    QVERIFY(before.json()["first"].toObject().contains("address"));
    const Answer a = g.ctl({"erase", g.sheet(), "boot-flash", "--range", "0x10000..0x1FFFF", "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["result"].toString(), "erased");
    QCOMPARE(firstOf(a.json()["erased"])["to"].toString(), "0x01FFFF");
    CODE(g.ctl({"blank", g.sheet(), "--range", "0x10000+64K"}), 0);
    CODE(g.ctl({"blank", g.sheet(), "--range", "5"}), 2);
    CODE(g.ctl({"blank", g.sheet(), "--range", "8M+1"}), 2);
  }

  void readWritesHexWhereTheNameSaysSo() {
    Gauge g;
    CODE(g.ctl({"read", g.sheet(), "--from", "0x7F0000", "--length", "24", "-o", g.path("id.hex")}), 0);
    CODE(g.ctl({"verify", g.sheet(), "--place", g.path("id.hex")}), 0);
  }

  void aFullDiskLeavesNoHalfFile() {
    Gauge g;
    const Answer a = g.ctl({"--json", "read", g.sheet(), "--length", "4096", "-o", "/dev/full"});
    CODE(a, 5);
    QCOMPARE(a.json()["kind"].toString(), "cannot-write");
    CODE(g.ctl({"read", g.sheet(), "-o", "/nowhere/x.bin"}), 5);
  }

  void badWordsAndFilesAreExit2AndTouchNothing() {
    Gauge g;
    CODE(Gauge::run({}), 2);
    CODE(Gauge::run({"dance"}), 2);
    CODE(Gauge::run({"program"}), 2);
    CODE(Gauge::run({"read", g.sheet()}), 2);
    CODE(Gauge::run({"--help"}), 0);
    CODE(Gauge::run({"program", g.path("none.imprimo")}), 2);
    g.write("bad.hex", ":0100000001FF\n");
    const Answer hex = g.ctl({"program", g.sheet(), "--place", g.path("bad.hex"), "--json"});
    CODE(hex, 2);
    QVERIFY(hex.json()["message"].toString().contains("line 1: checksum is FF, should be FE"));
    QCOMPARE(hex.json()["exit"].toInt(), 2);
    g.write("raw.bin", "raw");
    CODE(g.ctl({"program", g.sheet(), "--place", g.path("raw.bin")}), 2);
    CODE(g.ctl({"program", g.sheet(), "--place", g.path("raw.bin@0"), "--place", g.path("raw.bin@2")}), 2);
    CODE(g.ctl({"program", g.sheet(), "--place", g.path("raw.bin@8M")}), 2);
    CODE(g.ctl({"program", g.sheet(), "--place", g.path("raw.bin@0x7F0000")}), 2);  // kept
    CODE(g.ctl({"program", g.sheet(), "other-flash"}), 2);
    QVERIFY(!g.server().with([](sim::Bench& b) { return b.flash("boot-flash").commands().contains(0x06); }));
  }

  void noProbeAndDeadChainsAreExit3() {
    Gauge g;
    const Answer none = Gauge::run({"scan", "--json"});
    CODE(none, 3);
    QCOMPARE(none.json()["result"].toString(), "failed");
    CODE(Gauge::run({"--probe", "tcp:127.0.0.1:1", "scan"}), 3);
    CODE(Gauge::run({"--probe", "usb", "scan"}), 2);
    g.server().with([](sim::Bench& b) { b.board().stickTdo(true); });
    const Answer dead = g.ctl({"scan"});
    CODE(dead, 3);
    QVERIFY(dead.err.contains("TDO stays at 1"));
    CODE(g.ctl({"program", g.sheet()}), 3);
  }

  void anotherBoardIsExit1WithBothChains() {
    Gauge g([](QString& bench) { bench.replace("0x1F40AFFD", "0x1F41AFFD"); });
    const Answer a = g.ctl({"program", g.sheet(), "--json"});
    CODE(a, 1);
    QVERIFY(a.err.contains("part 2 should be 0x?f40affd (correlator), found 0x1f41affd"));
    QVERIFY(a.err.contains("expected") && a.err.contains("<- differs"));
    QCOMPARE(a.json()["kind"].toString(), "chain-mismatch");
  }

  void noBridgeIsExit1() {
    // Even behind the bridge's image nothing answers.
    Gauge g([](QString& bench) { bench.replace("\"register\": \"bridge\"", "\"register\": \"bypass\""); });
    const Answer loaded = g.ctl({"program", g.sheet()});
    CODE(loaded, 1);
    QVERIFY(loaded.err.contains("no bridge answers in correlator (part 2)"));
    QString sheet = QString::fromStdString(readTextFile(g.sheet().toStdString()));
    const QString load = "\"load\": \"cores/tarn_t40_bridge.bin\"";
    g.write("none.imprimo", QString(sheet).replace(", " + load, "").toUtf8());
    CODE(g.ctl({"program", g.path("none.imprimo")}), 1);
    // An image that is not there is known before the probe is touched.
    g.write("gone.imprimo", QString(sheet).replace(load, "\"load\": \"cores/gone.bin\"").toUtf8());
    const Answer gone = Gauge::run({"--probe", "tcp:127.0.0.1:1", "program", g.path("gone.imprimo")});
    CODE(gone, 2);
    QVERIFY(gone.err.contains("cores/gone.bin: the bridge for boot-flash cannot be read"));
  }

  void aFlashThatNobodyDescribesIsExit1() {
    Gauge g([](QString& bench) { bench.replace("\"sfdp\": \"newest\"", "\"sfdp\": \"none\""); });
    CODE(g.ctl({"identify", g.sheet()}), 1);
    // With a part card it works.
    g.write("parts/quill.json", R"({"imprimo_part": 1, "name": "Quill Q64", "id": "0x7E4017", "size": "8M", "page": 256,
 "program": {"typical": 0.0004, "longest": 0.003}, "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.05, "longest": 0.4}]})");
    QString sheet = QString::fromStdString(readTextFile(g.sheet().toStdString()));
    g.write("card.imprimo",
            sheet.replace("\"type\": \"spi-nor\",", "\"type\": \"spi-nor\", \"part\": \"parts/quill.json\",").toUtf8());
    const Answer a = g.ctl({"identify", g.path("card.imprimo"), "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["source"].toString(), "card");
  }

  void whatIsOddIsSaidBeforehand() {
    Gauge g;
    const Answer a =
        g.ctl({"program", g.sheet(), "boot-flash", "--place", g.path("fallback.bin@0x400000"), "--dry-run"});
    CODE(a, 0);
    QVERIFY(a.err.contains(
        "trouble: The sync word of fallback.bin is stored with the bits of each byte reversed. Reverse its bits."));
    QVERIFY(!g.ctl({"program", g.sheet(), "--dry-run"}).err.contains("trouble"));
  }

  void withoutErasingIsRefusedBeforehand() {
    Gauge g;
    const Answer a = g.ctl({"program", g.sheet(), "--no-erase", "--json"});
    CODE(a, 1);
    QCOMPARE(a.json()["result"].toString(), "refused");
    QCOMPARE(a.json()["first"].toObject()["address"].toString(), "0x00002B");  // the last byte of its user code
  }

  void aLinkLostPartWayIsExit4AndSaysWhatIsWhere() {
    Gauge g;
    g.server().with([](sim::Bench& b) { b.dropLinkAtPacket(4200); });  // reading takes some 3000 packets
    const Answer a = g.ctl({"program", g.sheet(), "--json"});
    CODE(a, 4);
    QCOMPARE(a.json()["result"].toString(), "stopped");
    const QString message = a.json()["message"].toString();
    QVERIFY2(message.contains("boot-flash now holds:") && message.contains("What was there is saved in") &&
                 message.contains("0x"),
             qPrintable(message));
  }

  void aStopIsExit130() {
    Gauge g;
    std::stop_source stop;
    stop.request_stop();
    const Answer a = g.ctl({"program", g.sheet(), "--json"}, stop.get_token());
    CODE(a, 130);
    QVERIFY(a.json()["message"].toString().contains("Nothing was touched"));
  }

  void severalMemoriesAreListed() {
    Gauge g;
    QString sheet = QString::fromStdString(readTextFile(g.sheet().toStdString()));
    sheet.replace("cores/tarn_t40_bridge.bin\"}}",
                  "cores/tarn_t40_bridge.bin\"}},\n{\"name\": \"again\", \"type\": \"spi-nor\", "
                  "\"route\": {\"via\": \"bridge\", \"device\": \"correlator\", \"instruction\": \"FABRIC_A\"}}");
    sheet.replace("{\"memory\": \"boot-flash\", \"file\": \"gauge_cal.hex\"}",
                  "{\"memory\": \"again\", \"file\": \"gauge_cal.hex\"}");
    g.write("two.imprimo", sheet.toUtf8());
    const Answer a = g.ctl({"program", g.path("two.imprimo"), "--json"});
    CODE(a, 0);
    const QJsonArray memories = a.json()["memories"].toArray();
    QCOMPARE(memories.size(), 2);
    QCOMPARE(memories[1].toObject()["name"].toString(), "again");
    CODE(g.ctl({"erase", g.path("two.imprimo"), "--range", "0+1"}), 2);  // which one?
  }
};
IMPRIMO_TEST(CommandLineTest);
#include "tst_command_line.moc"
