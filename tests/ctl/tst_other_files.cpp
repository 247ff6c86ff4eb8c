// SPDX-License-Identifier: GPL-3.0-or-later
//
// Files of other people's tools, as the commands take them.
#include <QTest>

#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class OtherFilesTest : public QObject {
  Q_OBJECT
 private slots:
  void aTextIsNotWrittenUnlessThatIsSaid() {
    Gauge g;
    g.write("notes.txt", "Gauge 7, read on the bridge at noon.\nThe float sticks.\n");
    const Answer refused = g.ctl({"program", g.sheet(), "boot-flash", "--place", g.path("notes.txt@0x600000")});
    CODE(refused, 2);
    VERIFY_CONTAINS(refused.err.toStdString(), "notes.txt is text, and no format that has addresses is seen in it");
    VERIFY_CONTAINS(refused.err.toStdString(), "format=bin");
    CODE(g.ctl({"program", g.sheet(), "boot-flash", "--place", g.path("notes.txt@0x600000,format=bin")}), 0);
    CODE(g.ctl({"verify", g.sheet(), "boot-flash", "--place", g.path("notes.txt@0x600000")}), 0);
    // An image of it is made without asking.
    CODE(Gauge::run({"convert", g.path("notes.txt@0"), "-o", g.path("notes.hex")}), 0);
  }

  void recordsThatWereSpoiledAreNotWrittenAsText() {
    Gauge g;
    g.write("spoiled.hex", ";0400100001020304E2\n:00000001FF\n");
    const Answer refused = g.ctl({"program", g.sheet(), "boot-flash", "--place", g.path("spoiled.hex@0x600000")});
    CODE(refused, 2);
    VERIFY_CONTAINS(refused.err.toStdString(), "line 1 begins with ';'");
    g.write("marked.hex", "\xEF\xBB\xBF\r\n:0400100001020304E2\r\n:00000001FF\r\n\x1A");
    const Answer taken = Gauge::run({"convert", g.path("marked.hex"), "-o", g.path("marked.bin"), "--json"});
    CODE(taken, 0);
    QCOMPARE(taken.json()["bytes"].toInt(), 4);
  }

  void aNameForNarrowAddressesGivesWay() {
    Gauge g;
    g.write("two.bin", "ab");
    const Answer wide = Gauge::run({"convert", g.path("two.bin@0x12340"), "-o", g.path("two.s19")});
    CODE(wide, 0);
    VERIFY_CONTAINS(wide.err.toStdString(), "S-records have 24-bit addresses (S2), since the data goes to 0x012341");
    QFile made(g.path("two.s19"));
    QVERIFY(made.open(QIODevice::ReadOnly) && made.readAll().contains("\nS206012340"));
    const Answer json = Gauge::run({"convert", g.path("two.bin@0x1234000"), "-o", g.path("two.s28"), "--json"});
    CODE(json, 0);
    VERIFY_CONTAINS(json.json()["remarks"].toArray().at(0).toString().toStdString(), "32-bit addresses (S3)");
    // Bits that were asked for are kept to.
    CODE(Gauge::run({"convert", g.path("two.bin@0x12340"), "-o", g.path("two.s19"), "--address-bits", "16"}), 2);
    const Answer fits = Gauge::run({"convert", g.path("two.bin@0x1234"), "-o", g.path("two.s19")});
    CODE(fits, 0);
    QVERIFY(fits.err.isEmpty());
  }

  void aDryRunListsExactlyTheBlocks() {
    Gauge g;
    g.write("near.bin", QByteArray(100, '\x01'));
    CODE(g.ctl({"verify", g.sheet()}), 1);  // the bridge is there from now on
    const Answer dry = g.ctl({"program", g.sheet(), "boot-flash", "--place", g.path("near.bin@0x10000"), "--place",
                              g.path("near.bin@0x600000"), "--dry-run", "--json"});
    CODE(dry, 0);
    QStringList read;
    for (const QJsonValue& value : dry.json()["steps"].toArray()) {
      const QJsonObject step = value.toObject();
      if (step["kind"] != "read") continue;
      QCOMPARE(step["from"].toString(), "0x010000");
      QCOMPARE(step["to"].toString(), "0x600FFF");
      for (const QJsonValue& r : step["ranges"].toArray())
        read += r.toObject()["from"].toString() + ".." + r.toObject()["to"].toString();
    }
    QCOMPARE(read, (QStringList{"0x010000..0x010FFF", "0x600000..0x600FFF"}));
  }

  void vectorsOfOtherWritersAreToldAbout() {
    Gauge g;
    const QByteArray text =
        "\xEF\xBB\xBF"
        "FREQUENCY 0 HZ;\nHIR 0 TDI ();\nSTATE RESET IDLE;\nENDDR DRPAUSE;\nSDR 8 TDI (00);\nSDR 8 TDI "
        "(00);\nSTATE IDLE;\n\x1A";
    g.write("other.svf", text);
    const Answer vectors = Gauge::run({"vectors", g.path("other.svf"), "--json"});
    CODE(vectors, 0);
    const QJsonArray remarks = vectors.json()["remarks"].toArray();
    QCOMPARE(remarks.size(), 5);
    COMPARE_TEXT(
        remarks.at(4).toString().toStdString(),
        "line 6: the first of 1 scan that begin in the pause state of their own register; each goes on through "
        "Update (--from-pause shift: straight into Shift)");
    const Answer played = g.ctl({"play", g.path("other.svf"), "--any-chain"});
    CODE(played, 0);
    VERIFY_CONTAINS(played.err.toStdString(), "each goes on through Update (--from-pause shift: straight into Shift)");
    const auto clocks = [&] { return g.server().with([](sim::Bench& b) { return b.board().clocks(); }); };
    const auto before = clocks();
    CODE(g.ctl({"play", g.path("other.svf"), "--any-chain"}), 0);
    const auto middle = clocks();
    const Answer shifted = g.ctl({"play", g.path("other.svf"), "--any-chain", "--from-pause", "shift"});
    CODE(shifted, 0);
    VERIFY_CONTAINS(shifted.err.toStdString(), "each goes on straight into Shift");
    QCOMPARE((middle - before) - (clocks() - middle), std::uint64_t{3});  // 1 0 instead of 1 1 1 0 0
    const Answer wrong = g.ctl({"play", g.path("other.svf"), "--from-pause", "exit"});
    CODE(wrong, 2);
    VERIFY_CONTAINS(wrong.err.toStdString(), "--from-pause: takes shift, update, not 'exit'");
  }
};
IMPRIMO_TEST(OtherFilesTest);
#include "tst_other_files.moc"
