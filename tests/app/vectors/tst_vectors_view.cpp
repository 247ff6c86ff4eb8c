// SPDX-License-Identifier: GPL-3.0-or-later
//
// The Vectors view, driven as a user would.
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollBar>
#include <QToolButton>

#include "app/vectors/vectors_view.h"
#include "app/views.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {

struct VectorStage : Stage {
  explicit VectorStage(const std::function<void(QString&)>& changeBench = {}, bool realTime = false)
      : Stage(
            [&](QString& bench) {
              // Short waits, so that a file for it is not mostly waits.
              bench.replace(QRegularExpression("\"times\": \\{\"page\"[^}]*\\}"),
                            "\"times\": {\"page\": [0.0004, 0.0007], \"4K\": [0.01, 0.02], \"32K\": [0.02, 0.04], "
                            "\"64K\": [0.03, 0.05], \"chip\": [1, 9]}");
              if (changeBench) changeBench(bench);
            },
            true, realTime,
            [](QString& sheet) {
              sheet.remove(QRegularExpression(" *\\{\"memory\": \"boot-flash\", \"file\": \"echo[^}]*\\},\n"));
              sheet.remove(QRegularExpression(",\n *\"after\": \\[\"restart\"\\]"));
            }) {
    window.findChild<QAction*>("vectorsTab")->trigger();
  }
  VectorDocument& document() { return window.view<VectorsView>().document(); }
  VectorList* list() { return find<VectorList>("vectorList"); }
  bool untilRead() {
    return QTest::qWaitFor([&] { return document().survey().whole && document().facts(); }, kPatience);
  }
  bool until(PlayState state) {
    return QTest::qWaitFor([&] { return document().playing().state() == state; }, kPatience);
  }
  bool untilPlayable() {
    return QTest::qWaitFor([&] { return document().playing().canPlay(); }, kPatience);
  }
  QString text(const char* label) { return find<QLabel>(label)->text(); }
  /// A file made from what the bench plans, saved and open.
  void saved() {
    click("previewVectorsButton");
    QVERIFY(untilRead());
    QVERIFY(document().savePreview(folder.filePath("update.svf")));
    QVERIFY(untilRead());
    QVERIFY(untilPlayable());
  }
  void write(const QString& name, const QByteArray& bytes) {
    QFile file(folder.filePath(name));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(bytes);
  }
  QString wordsAt(std::uint64_t row) {
    const VectorRow* found = document().file()->row(document().survey(), row);
    return found != nullptr ? found->words : QString();
  }
};

}  // namespace

class VectorsViewTest : public QObject {
  Q_OBJECT
 private slots:
  void aFileThatDependsOnHowAPauseIsLeftIsToldAndTheWayIsChosen() {
    VectorStage s;
    s.write(
        "other.svf",
        "\xEF\xBB\xBF! by somebody\nENDDR DRPAUSE;\nSDR 8 TDI (00);\nSDR 8 TDI (00);\nSDR 8 TDI (00);\nSTATE IDLE;\n");
    QVERIFY(s.document().open(s.folder.filePath("other.svf")));
    QVERIFY(s.untilRead());
    auto* way = s.find<QComboBox>("vectorFromPause");
    QTRY_VERIFY_WITH_TIMEOUT(way->isVisible(), kPatience);
    QCOMPARE(s.text("vectorFromPauseText"),
             "Scans that begin in the pause state of their own register (2, the first in line 4) go on");
    QCOMPARE(s.text("vectorRemarks"), "line 1: a byte order mark was passed over");
    QCOMPARE(way->currentText(), "through Update");
    const auto clocksPlayed = [&] {
      if (!s.untilPlayable()) return std::uint64_t{0};
      s.click("vectorGo");
      if (!s.until(PlayState::Ended)) return std::uint64_t{0};
      return s.document().playing().report()->result.played.clocks;
    };
    const auto through = clocksPlayed();
    way->setFocus();
    QTest::keyClick(way, Qt::Key_Down);
    QCOMPARE(way->currentText(), "straight into Shift");
    QCOMPARE(through - clocksPlayed(), std::uint64_t{6});  // 1 0 instead of 1 1 1 0 0, twice
    // Another file begins with the standard's way again; one of ours does not ask.
    s.write("plain.svf", "SDR 8 TDI (00);\n");
    QVERIFY(s.document().open(s.folder.filePath("plain.svf")));
    QVERIFY(s.untilRead());
    QVERIFY(!way->isVisible() && !s.find<QLabel>("vectorRemarks")->isVisible());
    QCOMPARE(s.document().playing().fromPause(), svf::FromPause::Update);
  }

  void writesWhatTheBenchPlansAndPlaysIt() {
    VectorStage s;
    QVERIFY(s.find<QPushButton>("openVectorsButton")->isVisible());
    s.click("previewVectorsButton");
    QVERIFY(s.untilRead());
    QCOMPARE(s.text("vectorsName"), "Not written yet");
    QCOMPARE(s.find<QPushButton>("vectorGo")->text(), "Save as SVF…");
    const auto whole = s.document().file()->text().size();
    // Every choice makes it anew.
    s.find<QCheckBox>("exportVerify")->click();
    QVERIFY(s.untilRead());
    QVERIFY(s.document().file()->text().size() < whole);
    s.find<QCheckBox>("exportVerify")->click();
    s.find<QCheckBox>("exportShort")->click();
    QVERIFY(s.untilRead());
    QVERIFY(s.document().file()->text().size() < whole);
    s.find<QCheckBox>("exportShort")->click();
    auto* clock = s.find<QLineEdit>("exportClock");
    clock->setFocus();
    clock->selectAll();
    QTest::keyClicks(clock, "5");
    QTest::keyClick(clock, Qt::Key_Return);
    QVERIFY(s.untilRead());
    QCOMPARE(s.document().survey().hz.value(), 5e6);

    QVERIFY(s.document().savePreview(s.folder.filePath("update.svf")));
    QVERIFY(s.untilRead());
    QVERIFY(s.untilPlayable());
    QVERIFY(s.text("vectorContents").contains("through a bridge in part 2"));
    QCOMPARE(s.text("vectorDiffers"), "Writes what the sheet's files have.");
    QCOMPARE(s.text("vectorFits"), "fits what is connected");
    s.click("vectorGo");
    QVERIFY(s.until(PlayState::Ended));
    QCOMPARE(s.text("vectorsStand"), "played to its end");
    QVERIFY(s.document().playing().report()->record.good());
    QCOMPARE(s.cells(0x6A0000, 0x2000), s.window.bench().looks().planned().bytes({0x6A0000, 0x6A2000}));
    // The bench is looked at anew behind it.
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().link().state() == LinkState::Connected; }, kPatience));
    QVERIFY(s.untilPlayable());
  }

  void rowsAreDecoded() {
    VectorStage s;
    s.saved();
    const svf::Survey& survey = s.document().survey();
    QStringList words;
    for (std::uint64_t i = 0; i < survey.rows; ++i) words += s.wordsAt(i);
    QVERIFY(words.contains("all in BYPASS"));
    QVERIFY(words.contains("correlator: FABRIC_A"));
    QVERIFY(words.contains("erase 64 KiB at 0x400000"));
    QVERIFY(words.contains("program 256 bytes at 0x400100"));
    QVERIFY(words.contains("read 4096 bytes at 0x6A1000, 4096 compared"));
    QVERIFY(words.contains("status: busy must be 0"));
    QVERIFY(words.contains("IDCODEs and BYPASS, compared"));
    QVERIFY(
        std::any_of(words.begin(), words.end(), [](const QString& w) { return w.contains("kbit behind FAB_LOAD"); }));
    // However a row is come by, it is the same.
    for (std::uint64_t i = 0; i < survey.rows; i += 97) {
      const VectorRow row = *s.document().file()->row(survey, i);
      s.document().file()->forgetRows();
      QCOMPARE(s.document().file()->rowAt(survey, row.place.offset), i);
      QCOMPARE(s.document().file()->rowAt(survey, row.end - 1), i);
      QCOMPARE(s.wordsAt(i), row.words);
    }
  }

  void keysAndClicksMove() {
    VectorStage s;
    s.saved();
    VectorDocument& d = s.document();
    s.list()->setFocus();
    QTest::keyClick(s.list(), Qt::Key_Down);
    QTest::keyClick(s.list(), Qt::Key_Down);
    QCOMPARE(d.row(), 2u);
    QTest::keyClick(s.list(), Qt::Key_End);
    QCOMPARE(d.row(), d.survey().rows - 1);
    QVERIFY(s.list()->firstRow() > 100);
    QTest::keyClick(s.list(), Qt::Key_Left);
    QTest::keyClick(s.list(), Qt::Key_Left);
    QVERIFY(d.file()->row(d.survey(), d.row())->step || d.file()->row(d.survey(), d.row())->text.contains("RESET"));
    QTest::keyClick(s.list(), Qt::Key_Home);
    QCOMPARE(d.position(), 0u);
    QTest::mouseClick(s.list()->viewport(), Qt::LeftButton, {}, {200, 5 * VectorList::kRowHeight + 3});
    QCOMPARE(d.row(), 5u);
    // On the strip, a place in time.
    auto* strip = s.find<VectorStrip>("vectorStrip");
    const StripGeometry g = strip->geometryNow();
    const int x = static_cast<int>(g.xOf(d.survey().seconds * 0.5));
    QTest::mouseClick(strip, Qt::LeftButton, {}, {x, g.plot.center().y()});
    QVERIFY(std::abs(d.survey().timeOf(d.position()) - d.survey().seconds * 0.5) < d.survey().seconds * 0.02);
    strip->setFocus();
    QTest::keyClick(strip, Qt::Key_Home);
    QTest::keyClick(strip, Qt::Key_Right);
    QVERIFY(d.position() > 0);
    // Marked lines, and text.
    d.bookmarkAction->trigger();
    const std::uint64_t marked = d.position();
    QTest::keyClick(s.list(), Qt::Key_End);
    d.nextBookmarkAction->trigger();
    QCOMPARE(d.position(), marked);
    d.bookmarkAction->trigger();
    QVERIFY(d.bookmarks().empty());
    auto* find = s.find<QLineEdit>("vectorsFind");
    find->setText("Block 0x6A1000");
    QTest::keyClick(find, Qt::Key_Return);
    QVERIFY(QTest::qWaitFor([&] { return d.file()->row(d.survey(), d.row())->text.contains("Block 0x6A1000"); },
                            kPatience));
    const std::uint64_t first = d.position();
    QTest::keyClick(find, Qt::Key_Return);
    QVERIFY(QTest::qWaitFor([&] { return d.position() != first; }, kPatience));
    // What was copied is the statement as it stands.
    QTest::mouseClick(s.list()->viewport(), Qt::LeftButton, {}, {200, 3});
    s.list()->setFocus();
    QTest::keySequence(s.list(), QKeySequence::Copy);
    QVERIFY(!QApplication::clipboard()->text().isEmpty());
    s.click("vectorsAsWritten");
  }

  void pausesGoesOnAndStops() {
    VectorStage s({}, true);
    s.saved();
    s.click("vectorGo");
    QVERIFY(QTest::qWaitFor([&] { return s.document().playing().played().place.line > 450; }, kPatience));
    s.click("vectorPause");
    QCOMPARE(s.document().playing().state(), PlayState::Paused);
    // What is under way comes to its end first, which on a busy computer takes a while.
    const auto now = [&] { return s.document().playing().played().place.line; };
    auto line = now();
    QVERIFY(QTest::qWaitFor(
        [&] {
          const auto before = std::exchange(line, now());
          QTest::qWait(300);
          return now() == before && before == line;
        },
        kPatience));
    QTest::qWait(200);
    QCOMPARE(now(), line);
    QVERIFY(s.text("vectorsStand").contains("pausing at line"));
    s.click("vectorPause");
    QVERIFY(QTest::qWaitFor([&] { return s.document().playing().played().place.line > line; }, kPatience));
    QCOMPARE(s.find<QPushButton>("vectorGo")->text(), "Stop playing");
    s.click("vectorGo");
    QVERIFY(s.until(PlayState::Ended));
    QCOMPARE(s.document().playing().report()->record.outcome, run::Outcome::Stopped);
    QVERIFY(s.untilPlayable());
    QVERIFY(s.find<QPushButton>("vectorGo")->text().startsWith("Play again from step"));
    QCOMPARE(s.demo->with([](sim::Bench& b) { return b.violations(); }), std::string());
  }

  void waitsAtAMismatch() {
    VectorStage s([](QString& bench) {
      bench.replace(R"({"kind": "jitter", "mask": 5})", R"({"kind": "stuck-high", "at": "0x6A0404", "mask": 255})");
    });
    s.saved();
    s.click("vectorGo");
    QVERIFY(s.until(PlayState::AtMismatch));
    QVERIFY(s.find<MismatchPanel>("mismatchPanel")->isVisible());
    QVERIFY(s.text("vectorsStand").contains("waits at line"));
    QCOMPARE(s.document().playing().story().address.value(), 0x6A0404u);
    QCOMPARE(s.document().file()->row(s.document().survey(), s.document().row())->place.line,
             s.document().playing().mismatch()->place.line);
    s.click("vectorCopy");
    QVERIFY(QApplication::clipboard()->text().contains("0x6A0404 should hold"));
    // On, past it: the rest is compared too.
    s.click("vectorPast");
    QVERIFY(s.until(PlayState::Ended));
    QCOMPARE(s.document().playing().report()->result.mismatches, 1u);
    QCOMPARE(s.document().playing().report()->result.end, svf::PlayResult::End::Whole);
    QVERIFY(s.untilPlayable());
    // Or not.
    s.click("vectorGo");
    QVERIFY(s.until(PlayState::AtMismatch));
    s.click("vectorGo");
    QVERIFY(s.until(PlayState::Ended));
    QCOMPARE(s.document().playing().report()->result.end, svf::PlayResult::End::Mismatch);
    QVERIFY(s.untilPlayable());
    QCOMPARE(s.find<QPushButton>("vectorGo")->text(), "Play again from step 6");
    s.click("vectorFromStart");
    QVERIFY(s.until(PlayState::AtMismatch));
    s.document().playing().stop();
    QVERIFY(s.until(PlayState::Ended));
  }

  void whatCannotBePlayedIsSaid() {
    VectorStage s;
    s.write("bad.svf", "! a file\nSDR 8 TDI (1);\nSDR 9 TDO (1);\n");
    QVERIFY(s.document().open(s.folder.filePath("bad.svf")));
    QVERIFY(QTest::qWaitFor([&] { return s.document().survey().problem.has_value(); }, kPatience));
    QVERIFY(s.text("vectorNow").contains("bad.svf:3:1"));
    QVERIFY(!s.find<QPushButton>("vectorGo")->isEnabled());
    s.write("pins.svf", "PIOMAP (OUT STROBE);\nPIO (H);\nSDR 8 TDI (1);\n");
    QVERIFY(s.document().open(s.folder.filePath("pins.svf")));
    QVERIFY(s.untilRead());
    QCOMPARE(s.text("vectorNeeds"), "a pin named STROBE (line 2)");
    QVERIFY(!s.find<QPushButton>("vectorGo")->isEnabled());
    s.write("other.svf", "SIR 5 TDI (1);\nSDR 8 TDI (1);\n");
    QVERIFY(s.document().open(s.folder.filePath("other.svf")));
    QVERIFY(s.untilRead());
    QVERIFY(s.text("vectorFits").contains("5 bits"));
    QVERIFY(s.untilPlayable());
    s.click("vectorGo");
    QVERIFY(s.until(PlayState::Ended));
    QCOMPARE(s.document().playing().report()->record.outcome, run::Outcome::Refused);
    QVERIFY(!s.document().open(s.folder.filePath("nowhere.svf")));
    QVERIFY(!s.document().open(s.folder.path()));
  }

  /// A large file is there at once, and its end is as near as its beginning.
  void largeFilesOpenAtOnce() {
    VectorStage s;
    QByteArray text;
    for (int i = 0; i < 300'000; ++i)
      text += "SDR 64 TDI (" + QByteArray::number(i, 16).rightJustified(16, '0') + ");\nRUNTEST 5 TCK;\n";
    s.write("large.svf", text);
    QVERIFY(s.document().open(s.folder.filePath("large.svf")));
    QVERIFY(s.document().survey().rows >= svf::Survey::kRowsBetween);
    QVERIFY(s.document().file()->row(s.document().survey(), 10) != nullptr);
    QVERIFY(QTest::qWaitFor([&] { return s.document().survey().whole; }, kPatience));
    QCOMPARE(s.document().survey().rows, 600'000u);
    s.list()->setFocus();
    QTest::keyClick(s.list(), Qt::Key_End);
    QVERIFY(s.list()->firstRow() > 599'000);
    QVERIFY(s.document().file()->row(s.document().survey(), 599'998)->text.contains("493df"));
  }

  void stripGeometryIsSound() {
    for (const QSize size : {QSize(400, 120), QSize(1244, 138), QSize(90, 40)}) {
      const StripGeometry g = StripGeometry::fit(size, 12.5);
      for (double at = 0; at <= 12.5; at += 0.5) QVERIFY(std::abs(g.timeAt(g.xOf(at)) - at) < 1e-9);
      QCOMPARE(g.timeAt(-100), 0.0);
      QCOMPARE(g.timeAt(1e6), 12.5);
      for (int lane = 1; lane < StripGeometry::kLanes; ++lane)
        QVERIFY(g.lane(static_cast<StripGeometry::Lane>(lane)).top() >
                g.lane(static_cast<StripGeometry::Lane>(lane - 1)).top());
    }
    svf::Reader reader(svf::sourceOf("SDR 1000 TDI (0); RUNTEST 3000 TCK; SIR 1000 TDI (0) TDO (0);"), "f");
    const svf::Survey survey = svf::survey(reader, 1e6);
    const StripGeometry g = StripGeometry::fit({610, 120}, survey.seconds);
    const auto columns = stripColumns(survey, g);
    QVERIFY(columns.front().share[StripGeometry::Data] > 0.9F);
    QVERIFY(columns[columns.size() / 2].share[StripGeometry::Waiting] > 0.9F);
    QVERIFY(columns.back().share[StripGeometry::Compared] > 0);
    QVERIFY(columns.front().share[StripGeometry::Compared] == 0);
  }

  void mismatchWindowHoldsTheBit() {
    svf::Mismatch m;
    for (const std::size_t total : {std::size_t{5}, std::size_t{59}, std::size_t{5000}}) {
      for (std::size_t first = 0; first < total; first += total / 5) {
        m.from = 100;
        m.first = 100 + first;
        m.expected = m.found = m.mask = BitVector(total);
        const MismatchWindow w = MismatchWindow::around(m, 40);
        QVERIFY(w.count <= 40 && w.count <= total);
        QVERIFY(w.bitAt(0) >= m.first && w.bitAt(w.count - 1) <= m.first);
        QVERIFY(w.bitAt(w.count - 1) >= m.from && w.bitAt(0) < m.from + total);
      }
    }
  }

  void shortenedStatementsKeepTheirEnds() {
    QCOMPARE(shortened("SDR 8\n  TDI (1 2)\r\n;"), "SDR 8 TDI (12) ;");
    QCOMPARE(shortened("SDR 2 TDI (0123456789ABCDEF0123456789) TDO (1);"), "SDR 2 TDI (0123…0123456789) TDO (1);");
    QCOMPARE(shortened("STATE ! away\nRESET;"), "STATE RESET;");
    QCOMPARE(shortened("SDR 1 TDI (12"), "SDR 1 TDI (12");
  }
};

IMPRIMO_TEST(VectorsViewTest);

#include "tst_vectors_view.moc"
