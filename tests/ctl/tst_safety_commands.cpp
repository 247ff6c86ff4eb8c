// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the command line says that it did, and what it refuses: copies of other boards, several memories, dry runs.
#include "core/base/input_file.h"
#include "tests/ctl/gauge.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/two_memories.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

void rewrite(const QString& path, const std::function<void(QString&)>& change) {
  QString text = QString::fromStdString(readTextFile(path.toStdString()));
  change(text);
  QFile file(path);
  QVERIFY(file.open(QIODevice::WriteOnly));
  file.write(text.toUtf8());
}

void retitle(Gauge& g, const QString& title) {
  rewrite(g.sheet(), [&](QString& text) { text.replace("River gauge, board revision B", title); });
}

void useCard(Gauge& g) {
  rewrite(g.sheet(), [](QString& text) { text.replace("\"sync\"", R"("part": "parts/quill_q64.json", "sync")"); });
}

bool designRuns(Gauge& g) {
  return g.ctl({"parts", g.sheet(), "correlator"}).out.contains("a design runs; user code 0x5232");
}

}  // namespace

class SafetyCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void theNewestCopyOfAnotherProductIsNotTakenUnnamed() {
    Gauge first;
    retitle(first, "Title one");
    CODE(first.ctl({"erase", first.sheet(), "--range", "0x6A0000+64K"}), 0);
    Gauge second;
    retitle(second, "Title two");
    const Answer refused = second.ctl({"restore", second.sheet()});
    CODE(refused, 2);
    QVERIFY2(refused.err.contains("there is no copy of boot-flash of the sheet \"Title two\""),
             qPrintable(refused.err));
    QVERIFY(refused.err.contains("of \"Title one\""));
    const Answer listed = second.ctl({"--json", "copies"});
    const QString file = firstOf(listed.json()["copies"])["file"].toString();
    CODE(second.ctl({"restore", second.sheet(), "boot-flash", file}), 0);
  }

  /// Two boards of one sheet, told apart by their unique IDs: each gets its own copy back.
  void aCopyOfAnotherBoardIsNotTakenUnnamed() {
    Gauge a, b([](QString&bench) { bench.replace("0x51A7E2049C3300B6", "0x51A7E2049C3300B7"); });
    for (Gauge* g : {&a, &b}) {
      retitle(*g, "Two boards");
      useCard(*g);
    }
    const auto held = [&](const QString& name) {
      const Answer read = a.ctl({"read", a.sheet(), "--from", "0x6A0000", "--length", "4K", "-o", a.path(name)});
      QFile file(a.path(name));
      return read.code == 0 && file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    };
    const QByteArray before = held("before.bin");
    CODE(a.ctl({"erase", a.sheet(), "--range", "0x6A0000+4K"}), 0);
    QVERIFY(before.size() == 4096 && held("erased.bin") != before);
    const Answer none = b.ctl({"restore", b.sheet()});
    CODE(none, 1);
    QVERIFY2(none.err.contains("no copy of boot-flash is of this board") && none.err.contains("51a7e2049c3300b6") &&
                 none.err.contains("51a7e2049c3300b7"),
             qPrintable(none.err));
    CODE(b.ctl({"erase", b.sheet(), "--range", "0x6A1000+4K"}), 0);
    // The newest is of the other board; the one of this board is taken.
    CODE(a.ctl({"restore", a.sheet(), "--dry-run"}), 0);
    const Answer back = a.ctl({"--json", "restore", a.sheet()});
    CODE(back, 0);
    QCOMPARE(held("after.bin"), before);
  }

  /// The design is stopped to load the bridge; whatever comes of the run, that is not "nothing".
  void aDesignThatWasStoppedIsTold() {
    Gauge g;
    rewrite(g.path("parts/quill_q64.json"),
            [](QString& card) { card.replace("0x7E4017", "0x7E4018", Qt::CaseInsensitive); });
    useCard(g);
    const Answer refused = g.ctl({"program", g.sheet()});
    CODE(refused, 1);
    QVERIFY2(refused.err.contains("the design in correlator was stopped to load the bridge"), qPrintable(refused.err));
    QVERIFY(!refused.err.contains("Nothing was touched"));
    QVERIFY(!refused.err.contains("othing was changed"));
  }

  void aDryRunStopsNoDesign() {
    Gauge g;
    retitle(g, "A dry run");
    CODE(g.ctl({"erase", g.sheet(), "--range", "0x6A0000+4K"}), 0);
    CODE(g.ctl({"program", g.sheet()}), 0);  // and restarts, as the sheet says
    QVERIFY(designRuns(g));
    for (const QStringList& command :
         {QStringList{"restore", g.sheet(), "--dry-run"}, QStringList{"program", g.sheet(), "--dry-run"},
          QStringList{"erase", g.sheet(), "--range", "0x6A0000+4K", "--dry-run"}}) {
      const Answer dry = g.ctl(command);
      CODE(dry, 0);
      QVERIFY2(dry.out.contains("othing was changed"), qPrintable(dry.out));
      QVERIFY(designRuns(g));
    }
  }

  /// The second memory is not the one of the sheet: the first is not written. Where it fails behind the first: exit 4.
  void allMemoriesAreAskedBeforeAnyIsChanged() {
    TwoMemories two;
    sim::BenchServer server(two.sim(), {});
    const QString sheet = QString::fromStdString(two.path("sheet.imprimo"));
    const auto save = [](const QString& path, const QByteArray& bytes) {
      QFile file(path);
      QVERIFY(file.open(QIODevice::WriteOnly));
      file.write(bytes);
    };
    save(QString::fromStdString(two.path("a.bin")), QByteArray(2048, 'x'));
    save(sheet, R"({"imprimo": 1, "title": "two", "probe": {"clock": 10000000},
      "chain": [{"name": "p1", "bsdl": "p1.bsd"}, {"name": "p2", "bsdl": "p2.bsd"}, {"name": "p3", "bsdl": "p3.bsd"}],
      "memories": [
        {"name": "one", "type": "spi-nor", "part": "one.json", "route": {"via": "bridge", "device": "p1", "instruction": "FABRIC_A"}},
        {"name": "two", "type": "spi-nor", "part": "two.json", "route": {"via": "bridge", "device": "p3", "instruction": "FABRIC_A"}}],
      "placements": [{"memory": "one", "file": "a.bin", "at": "0"}, {"memory": "two", "file": "a.bin", "at": "0"}],
      "after": ["restart"]})");
    const QString card = QString::fromStdString(two.path("two.json"));
    rewrite(card, [](QString& text) { text.replace("0x7E4013", "0x7E4099"); });
    const QStringList program{"--probe", QString::fromStdString(server.address()), "--json", "program", sheet};
    const Answer refused = Gauge::run(program);
    CODE(refused, 1);
    QCOMPARE(firstOf(refused.json()["memories"])["name"].toString(), "two");
    QCOMPARE(two.sim().flash("one").cells().get(0), 0xFF);
    rewrite(card, [](QString& text) { text.replace("0x7E4099", "0x7E4013"); });
    // The second is found to be what it should be, and then cannot be written without an erase.
    for (unsigned i = 0; i < 256; ++i) two.sim().flash("two").cells().set(i, 0x00);
    QStringList without = program;
    without << "--no-erase";
    const Answer deviceWay = Gauge::run(without);
    CODE(deviceWay, 4);
    QCOMPARE(two.sim().flash("one").cells().get(0), 'x');
    QCOMPARE(deviceWay.json()["memories"].toArray().size(), 2);
    CODE(Gauge::run(program), 0);
  }

  /// Of a part over 16 MiB that does not say how, all is read: identified twice, and tried twice.
  void aPartThatDoesNotTellItsWayIsReadWhole() {
    Gauge g([](QString& bench) {
      bench.replace("\"size\": \"8M\"", R"("size": "32M", "four_byte": "command", "tells_four_byte": false)");
    });
    const QString out = g.path("all.bin");
    const Answer answer = g.ctl({"--json", "read", g.sheet(), "boot-flash", "-o", out});
    CODE(answer, 0);
    QCOMPARE(answer.json()["bytes"].toDouble(), double(32 << 20));
    QCOMPARE(QFile(out).size(), qint64(32 << 20));
  }
};
IMPRIMO_TEST(SafetyCommandsTest);
#include "tst_safety_commands.moc"
