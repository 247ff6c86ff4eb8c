// SPDX-License-Identifier: GPL-3.0-or-later
//
// Files that are read off the window's thread: at once where they are quick, later where they are not, never after a
// stop.
#include <QLabel>
#include <QPlainTextEdit>
#include <QSignalSpy>
#include <atomic>
#include <latch>
#include <thread>

#include "app/images/images_view.h"
#include "app/session/file_reading.h"
#include "core/base/atomic_file.h"
#include "tests/app/stage.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {

/// Other tests expect that what they place is there, however busy the computer is.
constexpr std::chrono::milliseconds kUsual{20'000};
[[maybe_unused]] const bool kPatience_ = (FileReading::setBlink(kUsual), true);

/// Nothing is quick enough while this lives.
struct NoBlink {
  NoBlink() { FileReading::setBlink(std::chrono::milliseconds(0)); }
  ~NoBlink() { FileReading::setBlink(kUsual); }
};

}  // namespace

class FileReadingTest : public QObject {
  Q_OBJECT
 private slots:
  void whatIsQuickIsThereAtOnce() {
    FileReading reading;
    QSignalSpy taken(&reading, &FileReading::taken);
    int got = 0;
    reading.read(4, [&](const ReadRules&) -> std::function<void()> { return [&] { got = 7; }; });
    QCOMPARE(got, 7);
    QVERIFY(!reading.isReading());
    QCOMPARE(taken.size(), 0);
  }

  void whatIsSlowComesLaterAndTellsHowFarItIs() {
    const NoBlink slow;
    FileReading reading;
    QSignalSpy progressed(&reading, &FileReading::progressed), taken(&reading, &FileReading::taken);
    std::latch go(1);
    int got = 0;
    reading.read(1000, [&](const ReadRules& rules) -> std::function<void()> {
      rules.progress(340);
      go.wait();
      return [&] { got = 7; };
    });
    QVERIFY(reading.isReading());
    QTRY_VERIFY_WITH_TIMEOUT(progressed.size() > 0, kPatience);
    QCOMPARE(reading.percent(), 34);
    QCOMPARE(got, 0);
    go.count_down();
    QTRY_COMPARE_WITH_TIMEOUT(taken.size(), 1, kPatience);
    QCOMPARE(got, 7);
    QVERIFY(!reading.isReading());
  }

  void aStopReachesWhoReadsAndNothingComesOfIt() {
    const NoBlink slow;
    FileReading reading;
    std::atomic<bool> stopped{false}, ended{false};
    bool taken = false;
    reading.read(0, [&](const ReadRules& rules) -> std::function<void()> {
      while (!rules.stop.stop_requested()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
      stopped = true;
      ended = true;
      return [&] { taken = true; };
    });
    QVERIFY(reading.isReading());
    reading.cancel();
    QVERIFY(!reading.isReading());
    QTRY_VERIFY_WITH_TIMEOUT(stopped && ended, kPatience);
    QTest::qWait(50);
    QVERIFY(!taken);
  }

  /// The Bench opens a sheet, plans, takes a file and writes, all with files that come later.
  void theBenchGoesOnWhenItsFilesAreThere() {
    const NoBlink slow;
    Stage s;
    QVERIFY(s.untilPlanned());
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
    QVERIFY(s.demo->with([](sim::Bench& b) { return b.violations(); }).empty());
  }

  /// What waited for the files of one state of the sheet does not go on with those of another.
  void aChangeOfTheSheetDropsAWriteThatWaitsForItsFiles() {
    Stage s;
    QVERIFY(s.untilPlanned());
    const NoBlink slow;
    QSignalSpy began(&s.window.bench().session(), &BenchSession::runStarted);
    s.click("go");
    QVERIFY(s.window.bench().run().isReading());
    writeFileAtomically(s.folder.filePath("extra.bin").toStdString(), Bytes(0x100, 0x5A));
    s.window.bench().document().addFile(s.window.bench().memory(), s.folder.filePath("extra.bin"), 0x780000);
    QVERIFY(s.untilPlanned());
    QTest::qWait(50);
    QCOMPARE(began.size(), 0);
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(began.size(), 1);
  }

  /// Files that take long can be given up, and the button says so meanwhile.
  void readingForTheBenchCanBeStopped() {
    Stage s;
    QVERIFY(s.untilPlanned());
    const NoBlink slow;
    RunModel& run = s.window.bench().run();
    // Placing another file reads all of them anew.
    writeFileAtomically(s.folder.filePath("extra.bin").toStdString(), Bytes(0x100, 0x5A));
    s.window.bench().document().addFile(s.window.bench().memory(), s.folder.filePath("extra.bin"), 0x7F0000);
    QVERIFY(run.isReading());
    QCOMPARE(s.find<QPushButton>("go")->text(), QString("Stop reading the files"));
    s.click("go");
    QVERIFY(!run.isReading());
    QVERIFY(run.problem().startsWith("Reading was stopped"));
    QVERIFY(!run.canGo());
    // Another change reads them again.
    s.window.bench().document().removePlacement(s.window.bench().document().sheet().placements.size() - 1);
    QVERIFY(s.untilPlanned());
  }

  void theImagesViewShowsAFileWhenItIsRead() {
    const NoBlink slow;
    Stage s;
    auto& image = s.window.view<ImagesView>().document();
    QTRY_VERIFY_WITH_TIMEOUT(!image.isReading() && !image.pieces().empty(), kPatience);
    const std::size_t before = image.pieces().size();
    writeFileAtomically(s.folder.filePath("extra.bin").toStdString(), Bytes(0x100, 0x5A));
    image.addFile(s.folder.filePath("extra.bin"));
    QTRY_COMPARE_WITH_TIMEOUT(image.pieces().size(), before + 1, kPatience);
    QVERIFY(image.files().back().problem.isEmpty());
    QCOMPARE(image.pieces().back().image.byteCount(), 0x100u);
  }
};
IMPRIMO_TEST(FileReadingTest);
#include "tst_file_reading.moc"
