// SPDX-License-Identifier: GPL-3.0-or-later
//
// Work on files alone, from the command line.
#include "core/image/intel_hex.h"
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
  }
};
IMPRIMO_TEST(ConvertTest);
#include "tst_convert.moc"
