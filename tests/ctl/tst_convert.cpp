// SPDX-License-Identifier: GPL-3.0-or-later
//
// Work on files alone, from the command line.
#include <sys/fsuid.h>

#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class ConvertTest : public QObject {
  Q_OBJECT
  QTemporaryDir folder_;
  QString path(const char* name) const { return folder_.filePath(name); }
  void put(const char* name, const QByteArray& bytes) {
    QFile file(path(name));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(bytes);
  }
  QByteArray get(const char* name) {
    QFile file(path(name));
    return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray("no such file");
  }

 private slots:
  void oneImageFromSeveralFiles() {
    put("a.bin", "abc");
    put("b.bin", "XY");
    CODE(Gauge::run({"convert", path("a.bin"), "-o", path("o.hex")}), 0);
    QCOMPARE(get("o.hex"), QByteArray(":03000000616263D7\n:00000001FF\n"));
    const Answer a = Gauge::run(
        {"convert", path("o.hex") + "@0x10", path("b.bin@0x16"), "-o", path("o.bin"), "--fill", "0x2E", "--json"});
    CODE(a, 0);
    QCOMPARE(get("o.bin"), QByteArray("abc...XY"));
    QCOMPARE(a.json()["result"].toString(), "converted");
    QCOMPARE(a.json()["bytes"].toInt(), 5);
    CODE(Gauge::run({"convert", path("a.bin@4"), "-o", path("o.img"), "--format", "s19"}), 0);
    QVERIFY(get("o.img").startsWith("S0"));
    CODE(Gauge::run({"convert", path("o.img"), "-o", path("back.bin")}), 0);
    QCOMPARE(get("back.bin"), QByteArray("abc"));
    CODE(Gauge::run({"convert", path("a.bin@2"), "-o", path("sized.bin"), "--size", "8", "--fill", "0x2D"}), 0);
    QCOMPARE(get("sized.bin"), QByteArray("--abc---"));
    CODE(Gauge::run({"convert", path("a.bin") + ",reversed", "-o", path("r.bin")}), 0);
    QCOMPARE(get("r.bin"), QByteArray("\x86\x46\xC6"));
  }

  void whatIsWrongIsExit2AndLeavesNothing() {
    put("a.bin", "abc");
    put("bad.hex", ":0300000061626300\n");
    put("o.bin", "old");
    for (const QStringList& words : {QStringList{"convert", path("a.bin"), path("a.bin@0"), "-o", path("o.bin")},
                                     {"convert", path("a.bin"), "-o", path("o")},
                                     {"convert", path("a.bin"), "-o", path("o.bin"), "--size", "2"},
                                     {"convert", path("a.bin@0"), path("a.bin@2"), "-o", path("o.bin")},
                                     {"convert", path("bad.hex"), "-o", path("o.bin")},
                                     {"convert", path("a.bin"), "-o", path("o.bin"), "--format", "elf"},
                                     {"convert", path("nothing.bin"), "-o", path("o.bin")},
                                     {"convert", path("a.bin"), "-o", path("o.bin"), "--fill", "256"},
                                     {"convert", folder_.path(), "-o", path("o.bin")}}) {
      CODE(Gauge::run(words), 2);
      QCOMPARE(get("o.bin"), QByteArray("old"));
    }
    CODE(Gauge::run({"convert", path("a.bin"), "-o", "/dev/full/x.bin"}), 5);
    CODE(Gauge::run({"convert", path("a.bin"), "-o", path("o.bin")}), 0);
    QCOMPARE(get("o.bin"), QByteArray("abc"));
  }

  void aFileIsLookedInto() {
    put("o.hex", ":03001000616263C7\n:0400000508000101ED\n:00000001FF\n");
    const Answer a = Gauge::run({"inspect", path("o.hex"), "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["format"].toString(), "Intel HEX");
    QCOMPARE(firstOf(a.json()["ranges"])["from"].toString(), "0x000010");
    put("a.bin", "abc");
    QVERIFY(Gauge::run({"inspect", path("a.bin")}).out.contains("it has no addresses of its own"));
    put("e.bin", "");
    CODE(Gauge::run({"inspect", path("e.bin")}), 2);
  }

  void piecesAreCutTurnedAndSummed() {
    put("a.bin", "HEADabcd");
    put("b.bin", "xy");
    CODE(Gauge::run(
             {"convert", path("a.bin@0,cut=4..,swap16"), path("b.bin,after"), "pattern:0x2E", "-o", path("o.bin")}),
         2);
    CODE(Gauge::run({"convert", path("a.bin@0,cut=4..,swap16"), path("b.bin,after"), "pattern:0x2E+2@6", "--sum",
                     "sum8:0..7@8", "-o", path("o.bin")}),
         0);
    const char total = static_cast<char>('b' + 'a' + 'd' + 'c' + 'x' + 'y' + 2 * '.');
    QCOMPARE(get("o.bin"), QByteArray("badcxy..") + total);
    CODE(Gauge::run({"convert", path("a.bin@0"), path("b.bin,align=block"), "--block", "16", "-o", path("o.bin")}), 0);
    QCOMPARE(get("o.bin").size(), 18);
    CODE(Gauge::run({"convert", path("a.bin@0"), path("b.bin,align=block"), "-o", path("o.bin")}), 2);
  }

  void recordsAreAsLongAndAsWideAsAskedFor() {
    put("a.bin", "abcdef");
    CODE(Gauge::run({"convert", path("a.bin@0x20"), "-o", path("o.hex"), "--record", "4", "--entry", "0x20"}), 0);
    QCOMPARE(get("o.hex"),
             QByteArray(":0400200061626364 52\n:020024006566 0F\n:0400000500000020D7\n:00000001FF\n").replace(" ", ""));
    const Answer a = Gauge::run({"inspect", path("o.hex"), "--json"});
    QCOMPARE(a.json()["entry"].toString(), "0x000020");
    // A single file's entry goes on into the next format.
    CODE(Gauge::run({"convert", path("o.hex"), "-o", path("o.s37")}), 0);
    QVERIFY(get("o.s37").trimmed().endsWith("S70500000020DA"));
    CODE(Gauge::run({"convert", path("o.hex") + "@0x10000", "-o", path("o.hex"), "--address-bits", "16"}), 2);
    CODE(Gauge::run({"convert", path("o.hex"), "-o", path("o.s19"), "--record", "251"}), 2);
  }

  void bitfilesAreUnwrappedAndLookedOver() {
    Gauge g;
    const QString file = g.path("next/echo_correlator.tarn") + ",card=" + g.path("parts/tarn_wrapper.json");
    const Answer a = Gauge::run({"inspect", file, "--for", "flash", "--json"});
    CODE(a, 0);
    QCOMPARE(a.json()["note"].toString(), "Tarn bitfile");
    QCOMPARE(a.json()["header"].toArray()[2].toObject()["value"].toString(), "echo_correlator, two paths");
    QCOMPARE(a.json()["sync"].toObject()["offset"].toInt(), 32);
    QCOMPARE(a.json()["leading_pad"].toObject()["bytes"].toInt(), 32);
    const Answer b = Gauge::run({"convert", file, "-o", path("o.bin"), "--sync", "598A3687", "--for", "flash"});
    CODE(b, 0);
    QVERIFY(
        b.err.contains("trouble: The sync word of echo_correlator.tarn is stored with the bits of each byte reversed. "
                       "Reverse its bits."));
    const Answer c =
        Gauge::run({"convert", file + ",reversed", "-o", path("o.bin"), "--sync", "598A3687", "--for", "flash"});
    QCOMPARE(c.err, QString());
    const Answer d = Gauge::run({"inspect", g.path("supervisor.elf"), "--for", "flash", "--json"});
    QCOMPARE(firstOf(d.json()["findings"])["code"].toString(), "code");
    QCOMPARE(Gauge::run({"inspect", g.path("supervisor.elf"), "--for", "core", "--json"})
                 .json()["findings"]
                 .toArray()
                 .size(),
             2);
    for (const QStringList& words : {QStringList{"inspect", file, "--for", "tape"},
                                     {"inspect", file, "--sync", "x"},
                                     {"inspect", file, "--ram", "1"},
                                     {"inspect", g.path("fallback.bin") + ",card=" + g.path("parts/tarn_wrapper.json")},
                                     {"inspect", g.path("fallback.bin") + ",card=none.json"}}) {
      CODE(Gauge::run(words), 2);
    }
  }

  void checksumsAreOfTheImage() {
    put("a.bin", "123456789");
    const Answer a = Gauge::run({"inspect", path("a.bin"), "--json"});
    QCOMPARE(a.json()["crc32"].toString(), "CBF43926");
    QVERIFY(Gauge::run({"inspect", path("a.bin")}).out.contains("CRC-32 CBF43926"));
  }

  void twoBytesFourGigabytesApartCostNothing() {
    put("a.hex", ":0100000001FE\n:02000004FFFFFC\n:01FFFF000200\n:00000001FF\n");
    put("far.hex", ":0100000001FE\n:02000004FFFFFC\n:01FFFF0002FF\n:00000001FF\n");
    CODE(Gauge::run({"inspect", path("a.hex")}), 2);  // a checksum is wrong
    const Answer a = Gauge::run({"convert", path("far.hex"), "-o", path("far.s37"), "--json"});
    CODE(a, 0);
    QVERIFY(get("far.s37").size() < 200);
    CODE(Gauge::run({"convert", path("far.hex"), "-o", path("far.bin"), "--from", "0", "--size", "0x100000001"}), 2);
    CODE(Gauge::run({"inspect", path("far.hex")}), 0);
    CODE(Gauge::run({"compare", path("far.hex"), path("far.s37")}), 0);
  }

  void whatMayNotBeReadIsSaid() {
    put("secret.bin", "abc");
    QFile(path("secret.bin")).setPermissions({});
    // The tests may run as somebody who may read everything: for this thread, be nobody.
    const int before = setfsuid(65534);
    const Answer a = Gauge::run(
        {"convert", "/proc/self/cwd/" + QDir::current().relativeFilePath(path("secret.bin")), "-o", path("o.bin")});
    setfsuid(static_cast<uid_t>(before));
    CODE(a, 2);
    QVERIFY(a.err.contains("Permission denied"));
  }

  void twoImagesAreCompared() {
    put("a.bin", "abcdefgh");
    put("b.bin", "abXdefYZ!");
    const Answer a = Gauge::run({"compare", path("a.bin"), path("b.bin"), "--json"});
    CODE(a, 1);
    QCOMPARE(a.json()["differences"].toInt(), 4);
    QCOMPARE(a.json()["only_second"].toInt(), 1);
    QCOMPARE(a.json()["ranges"].toArray().size(), 2);
    QVERIFY(Gauge::run({"compare", path("a.bin"), path("b.bin")}).out.contains("first 0x63 and 0x58"));
    CODE(Gauge::run({"compare", path("a.bin"), path("a.bin")}), 0);
    CODE(Gauge::run({"compare", path("a.bin"), path("b.bin"), "-o", path("report.txt")}), 1);
    QVERIFY(get("report.txt").contains("0x000002  63                       |  58"));
  }
};
IMPRIMO_TEST(ConvertTest);
#include "tst_convert.moc"
