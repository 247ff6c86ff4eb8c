// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/folders.h"
#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class LibraryCommandTest : public QObject {
  Q_OBJECT
  static QString demo(const QString& name) { return QString(IMPRIMO_DEMO "/") + name; }

 private slots:
  void cleanup() { std::filesystem::remove_all(store::dataFolder()); }

  void descriptionsComeAndGo() {
    Answer answer = Gauge::run({"library"});
    QCOMPARE(answer.code, 0);
    QVERIFY(answer.err.startsWith("The library is empty."));
    answer = Gauge::run({"library", "add", demo("parts/tarn_t40.bsd"), demo("cores/tarn_t40_bridge.json")});
    QCOMPARE(answer.code, 0);
    QVERIFY(answer.out.contains("TARN_T40"));
    answer = Gauge::run({"library", "find", "0x3F40AFFD", "--json"});
    QCOMPARE(answer.code, 0);
    const QJsonArray found = answer.json()["descriptions"].toArray();
    QCOMPARE(found.size(), 2);
    QCOMPARE(found[0].toObject()["kind"].toString(), QString("bsdl"));
    QCOMPARE(found[1].toObject()["kind"].toString(), QString("bridge"));
    QCOMPARE(Gauge::run({"library", "find", "0x12345677"}).code, 1);
    QCOMPARE(Gauge::run({"library", "remove", "tarn_t40.bsd"}).code, 0);
    QCOMPARE(Gauge::run({"library", "list", "tarn", "bsdl"}).out, QString());
  }

  void foldersComeAndGo() {
    QCOMPARE(Gauge::run({"library", "add", demo("parts")}).code, 0);
    Answer answer = Gauge::run({"library", "--json"});
    QCOMPARE(answer.json()["folders"].toArray().size(), 1);
    QCOMPARE(answer.json()["descriptions"].toArray().size(), 7);
    answer = Gauge::run({"library", "remove", demo("parts/wren_c64.bsd")});
    QCOMPARE(answer.code, 1);
    QVERIFY(answer.err.contains("is in a shared folder"));
    QCOMPARE(Gauge::run({"library", "remove", demo("parts")}).code, 0);
    QVERIFY(Gauge::run({"library", "--json"}).json()["descriptions"].toArray().isEmpty());
  }

  void badInputIsTold() {
    for (const QStringList& words : {QStringList{"library", "frob"},
                                     {"library", "add"},
                                     {"library", "find", "x"},
                                     {"library", "remove", "nothing.bsd"},
                                     {"library", "add", demo("fallback.bin")}})
      QCOMPARE(Gauge::run(words).code, 2);
  }

  void aSheetIsPackedAndWorksElsewhere() {
    Gauge g;
    Answer answer = Gauge::run({"pack-sheet", g.sheet(), "-o", g.path("given.zip"), "--json"});
    QCOMPARE(answer.code, 0);
    QCOMPARE(answer.json()["sheet"].toString(), QString("gauge-rev-b.imprimo"));
    QCOMPARE(answer.json()["files"].toArray().size(), 10);
    answer = Gauge::run({"pack-sheet", g.sheet(), "-o", g.path("given")});
    QCOMPARE(answer.code, 0);
    QCOMPARE(Gauge::run({"pack-sheet", g.sheet(), "-o", g.path("given")}).code, 2);
    // The same work, from the copy.
    QCOMPARE(g.ctl({"program", g.path("given/gauge-rev-b.imprimo"), "--dry-run", "--json"}).code, 0);
    QCOMPARE(g.ctl({"program", g.path("given/gauge-rev-b.imprimo")}).code, 0);
    QCOMPARE(g.ctl({"verify", g.sheet()}).code, 0);
    // What is not there is said.
    QVERIFY(QFile::remove(g.path("fallback.bin")));
    answer = Gauge::run({"pack-sheet", g.sheet(), "-o", g.path("less.zip")});
    QCOMPARE(answer.code, 1);
    QVERIFY2(answer.err.contains("left out: ") && answer.err.contains("fallback.bin"), qPrintable(answer.err));
  }
};

IMPRIMO_TEST(LibraryCommandTest);
#include "tst_library_command.moc"
