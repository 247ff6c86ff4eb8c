// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>

#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// The gauge, with its memory known to the sheet and less to write.
struct Station : Gauge {
  Station() {
    CODE(ctl({"identify", sheet(), "boot-flash", "--save"}), 0);
    QString text = QString::fromStdString(readTextFile(sheet().toStdString()));
    QJsonObject json = QJsonDocument::fromJson(text.toUtf8()).object();
    QJsonArray placements = json["placements"].toArray();
    placements.removeFirst();
    json["placements"] = placements;
    write("gauge-rev-b.imprimo", QJsonDocument(json).toJson());
  }
  Answer exported(QStringList more = {}) {
    return run(QStringList{"export", sheet(), "-o", path("out.svf"), "--json"} + more);
  }
};

}  // namespace

class VectorCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void exportsPlaysAndTakesOut() {
    Station g;
    const Answer e = g.exported();
    CODE(e, 0);
    QCOMPARE(e.json()["result"].toString(), "exported");
    QCOMPARE(e.json()["file_bytes"].toInteger(), QFile(g.path("out.svf")).size());
    QVERIFY(e.json()["play_seconds"].toDouble() > 1);
    const QStringList pieces{"--compare", g.path("fallback.bin") + "@0x400000,reversed", "--compare",
                             g.path("gauge_cal.hex")};
    const Answer v =
        Gauge::run(QStringList{"vectors", g.path("out.svf"), "--json", "-o", g.path("image.hex")} + pieces);
    CODE(v, 0);
    QCOMPARE(v.json()["differences"].toInt(-1), 0);
    QCOMPARE(firstOf(v.json()["memories"])["name"].toString(), "boot-flash");
    QCOMPARE(firstOf(firstOf(v.json()["memories"])["plan"])["kind"].toString(), "erase");
    CODE(Gauge::run({"compare", g.path("image.hex"), g.path("image.hex")}), 0);
    const Answer p = g.ctl({"play", g.path("out.svf"), "--sheet", g.sheet(), "--json"});
    CODE(p, 0);
    QCOMPARE(p.json()["result"].toString(), "played");
    QCOMPARE(p.json()["mismatches"].toInt(-1), 0);
    QVERIFY(p.json()["seconds"].toObject().contains("play"));
    CODE(g.ctl({"verify", g.sheet()}), 0);
    QCOMPARE(g.server().with([](sim::Bench& b) { return b.violations(); }), std::string());
    // An image that is not the file's.
    CODE(Gauge::run({"vectors", g.path("out.svf"), "--compare", g.path("echo_correlator.bin") + "@0"}), 1);
  }

  void aMismatchTellsWhereAndWhat() {
    Station g;
    CODE(g.exported({"--only", "verify", "--no-load"}), 0);
    CODE(g.ctl({"restart", g.sheet()}), 0);
    // The bridge is not there, so the first that does not hold is its greeting.
    const Answer p = g.ctl({"play", g.path("out.svf"), "--sheet", g.sheet(), "--json"});
    CODE(p, 1);
    QCOMPARE(p.json()["result"].toString(), "mismatch");
    const QJsonObject m = p.json()["mismatch"].toObject();
    QCOMPARE(m["scan"].toString(), "SDR");
    QCOMPARE(m["part"].toObject()["name"].toString(), "correlator");
    QCOMPARE(m["doing"].toString(), "greet the bridge");
    QVERIFY(m["line"].toInt() > 10 && m["comment"].toObject()["text"].toString().contains("Target boot-flash"));
    QVERIFY(p.json()["message"].toString().contains("can be taken up again at line"));
    // Loaded, it only differs in what it holds.
    CODE(g.ctl({"identify", g.sheet(), "boot-flash"}), 0);
    const Answer held = g.ctl({"play", g.path("out.svf"), "--sheet", g.sheet(), "--json"});
    CODE(held, 1);
    QVERIFY(held.json()["mismatch"].toObject()["address"].toString().startsWith("0x"));
    const Answer on = g.ctl({"play", g.path("out.svf"), "--keep-going", "--json"});
    CODE(on, 1);  // it only compares, so nothing can have changed
    QVERIFY(on.json()["mismatches"].toInt() > 1);
    CODE(g.ctl({"program", g.sheet()}), 0);
    CODE(g.ctl({"identify", g.sheet(), "boot-flash"}), 0);
    CODE(g.ctl({"play", g.path("out.svf"), "--from-line", QString::number(m["line"].toInt() + 5)}), 0);
  }

  void looksOnly() {
    Station g;
    for (const char* what : {"chain", "id"}) {
      CODE(g.exported({"--only", what}), 0);
      CODE(g.ctl({"play", g.path("out.svf")}), 0);
    }
    CODE(g.exported({"--only", "blank"}), 0);
    CODE(g.ctl({"play", g.path("out.svf")}), 4);  // the bridge was loaded for it
  }

  void contentsKeepWhatLivesBeside() {
    Station g;
    CODE(g.ctl({"read", g.sheet(), "boot-flash", "-o", g.path("now.bin")}), 0);
    const Answer e = g.exported({"--contents", g.path("now.bin"), "--frequency", "4000000", "--line-length", "120"});
    CODE(e, 0);
    // Less than without: what agrees is left alone.
    QVERIFY(e.json()["erased"].toInteger() < 200 * 1024);
    CODE(g.ctl({"play", g.path("out.svf")}), 0);
    CODE(g.ctl({"verify", g.sheet()}), 0);
  }

  void badInputIsExit2BeforeTheProbeIsTouched() {
    Station g;
    const auto refused = [&](const QStringList& words, const char* what) {
      const Answer a = Gauge::run(QStringList{"--probe", "tcp:127.0.0.1:1"} + words);
      CODE(a, 2);
      QVERIFY2(a.err.contains(what), qPrintable(a.err));
    };
    g.write("bad.svf", "SDR 8 TDI (1);\nSDR 9;\n");
    refused({"play", g.path("bad.svf")}, "bad.svf:2:1: SDR has no TDI");
    refused({"play", g.path("none.svf")}, "none.svf");
    refused({"vectors", g.path("bad.svf")}, "bad.svf:2:1");
    g.write("good.svf", "SDR 8 TDI (1);\n");
    refused({"play", g.path("good.svf"), "--from-line", "1"}, "nothing resets the TAP");
    refused({"export", g.sheet(), "-o", g.path("x.svf"), "--before", "8,x"}, "--before takes instruction lengths");
    refused({"export", g.path("bad.svf"), "-o", g.path("x.svf")}, "bad.svf");
    QVERIFY(!QFile::exists(g.path("x.svf")));
    Gauge unknown;
    const Answer a = Gauge::run({"export", unknown.sheet(), "-o", unknown.path("x.svf")});
    CODE(a, 2);
    QVERIFY(a.err.contains("identify --save"));
    g.write("pins.svf", "PIOMAP (OUT STROBE);\nPIO (H);\n");
    const Answer pins = Gauge::run({"--probe", "tcp:127.0.0.1:1", "play", g.path("pins.svf")});
    CODE(pins, 1);
    QVERIFY(pins.err.contains("pins.svf:2:1: needs a pin named STROBE"));
    CODE(Gauge::run({"vectors", g.path("good.svf"), "-o", g.path("x.hex")}), 1);
    CODE(Gauge::run({"export", g.sheet(), "-o", "/nowhere/x.svf"}), 5);
  }

  void pinsOfTheProbeAreDriven() {
    Station g;
    g.write("pins.svf", "PIOMAP (INOUT nRESET INOUT TRST);\nPIO (LH); PIO (DU);\nPIO (HX); PIO (UX);\n");
    const auto resets = [&] { return g.server().with([](sim::Bench& b) { return b.board().resets(); }); };
    const auto before = resets();
    CODE(g.ctl({"play", g.path("pins.svf")}), 0);
    QCOMPARE(resets(), before + 1);
    g.write("pins.svf", "PIOMAP (INOUT nRESET);\nPIO (H);\nPIO (D);\n");
    const Answer wrong = g.ctl({"play", g.path("pins.svf"), "--json"});
    CODE(wrong, 1);
    QVERIFY(wrong.json()["message"].toString().contains("pins.svf:3:1: pin NRESET should be low and is high"));
  }

  void anotherChainIsRefused() {
    Station g;
    g.write("other.svf", "HIR 4 TDI (F);\nSIR 8 TDI (1);\nSDR 3 TDI (0);\n");
    const Answer a = g.ctl({"play", g.path("other.svf"), "--json"});
    CODE(a, 1);
    QCOMPARE(a.json()["result"].toString(), "refused");
    QVERIFY(a.json()["message"].toString().contains("other.svf:2:1: the instruction scan has 12 bits"));
    std::stop_source stop;
    stop.request_stop();
    CODE(g.exported(), 0);
    CODE(g.ctl({"play", g.path("out.svf")}, stop.get_token()), 130);
  }
};

IMPRIMO_TEST(VectorCommandsTest);

#include "tst_vector_commands.moc"
