// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/bench_session.h"

#include <QPlainTextEdit>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QToolButton>
#include <atomic>
#include <future>
#include <mutex>

#include "app/model/memory_cursor.h"
#include "app/model/sheet_document.h"
#include "app/shell/demo_bench.h"
#include "app/shell/log_strip.h"
#include "core/base/input_file.h"
#include "core/run/job.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {
constexpr int kPatience = 30'000;
}

class SessionTest : public QObject {
  Q_OBJECT
  const sheet::Sheet sheet_ = sheet::readSheet(std::string(IMPRIMO_DEMO) + "/gauge-rev-b.imprimo");
  static std::unique_ptr<DemoBench> demo() {
    return std::make_unique<DemoBench>(std::string(IMPRIMO_DEMO) + "/bench.json", false);
  }

  bool connectSession(BenchSession& session, DemoBench& bench) {
    QSignalSpy spy(&session, &BenchSession::connected);
    session.connectTo(QString::fromStdString(bench.address()), sheet_);
    if (!spy.wait(kPatience) || !session.isConnected()) return false;
    // The memory is behind a bridge that has to be loaded.
    QSignalSpy finished(&session, &BenchSession::runFinished);
    session.run(std::make_shared<plan::Wanted>(run::wantedFor(sheet_, "boot-flash", plan::Task::Reach)));
    return finished.wait(kPatience);
  }

 private slots:
  void connectingTellsWhatWasFound() {
    auto bench = demo();
    BenchSession session;
    std::optional<ConnectReport> report;
    connect(&session, &BenchSession::connected, this, [&](const ConnectReport& r) { report = r; });
    QVERIFY(connectSession(session, *bench));
    QVERIFY(!report->error && report->matches);
    QCOMPARE(report->link.whole, 100);
    QCOMPARE(report->chain.devices.size(), 3u);
    COMPARE_TEXT(report->unloaded.at("boot-flash"), "correlator");
    QVERIFY(report->memories.empty());
    QCOMPARE(report->devices.at(1).runs, std::optional<bool>{false});
    QCOMPARE(report->clockHz, 10'000'000u);
  }

  void nobodyThereIsTold() {
    BenchSession session;
    std::optional<ConnectReport> report;
    connect(&session, &BenchSession::connected, this, [&](const ConnectReport& r) { report = r; });
    session.connectTo("tcp:127.0.0.1:1", sheet_);
    QTRY_VERIFY_WITH_TIMEOUT(report.has_value(), kPatience);
    QCOMPARE(report->error, std::optional{ErrorKind::NoProbe});
    QVERIFY(!session.isConnected());
  }

  void onlyWhatIsAskedForIsRead() {
    auto bench = demo();
    BenchSession session;
    MemoryImage known;
    connect(&session, &BenchSession::contentsChanged, this,
            [&](const ContentsUpdate& news) { known.write(news.contents); });
    QVERIFY(connectSession(session, *bench));
    session.readForView("boot-flash", {0x6A2A00, 0x6A2A40});
    QTRY_VERIFY_WITH_TIMEOUT(known.covers({0x6A2A00, 0x6A2A40}), kPatience);
    QCOMPARE(known.byteCount(), 0x40u);
    QCOMPARE(known.at(0x6A2A00), std::optional<std::uint8_t>{'s'});
  }

  void answersOfAnEarlierConnectionAreDropped() {
    auto bench = demo();
    BenchSession session;
    QVERIFY(connectSession(session, *bench));
    QSignalSpy news(&session, &BenchSession::contentsChanged);
    session.readForView("boot-flash", {0, 0x100});
    session.disconnectBench();
    QTest::qWait(200);
    QCOMPARE(news.count(), 0);
    QVERIFY(!session.isConnected());
    // And the place is free for the next.
    QVERIFY(connectSession(session, *bench));
  }

  void aWatchedLinkThatBreaksIsTold() {
    auto bench = demo();
    BenchSession session;
    QVERIFY(connectSession(session, *bench));
    QSignalSpy gone(&session, &BenchSession::disconnected);
    bench->with([](sim::Bench& b) { b.dropLinkAtPacket(0); });
    session.readForView("boot-flash", {0, 0x100});
    QVERIFY(gone.wait(kPatience));
    QVERIFY(gone[0][0].toString().contains("lost the probe"));
    QVERIFY(!session.isConnected());
  }

  void aLinkLostRightBeforeARunDoesNotLeaveItRunningForEver() {
    auto bench = demo();
    BenchSession session;
    QVERIFY(connectSession(session, *bench));
    QSignalSpy finished(&session, &BenchSession::runFinished);
    QSignalSpy gone(&session, &BenchSession::disconnected);
    bench->with([](sim::Bench& b) { b.dropLinkAtPacket(0); });
    session.readInBackground("boot-flash", {{0, 0x1000}});
    session.run(std::make_shared<plan::Wanted>(run::wantedFor(sheet_, "boot-flash", plan::Task::Reach)));
    QVERIFY(session.isBusy());
    QTRY_COMPARE_WITH_TIMEOUT(finished.size(), 1, kPatience);
    QCOMPARE(finished[0][0].value<RecordPtr>()->error, std::optional{ErrorKind::LinkLost});
    QTRY_COMPARE_WITH_TIMEOUT(gone.size(), 1, kPatience);
    QVERIFY(!session.isBusy() && !session.isConnected());
    bench->with([](sim::Bench& b) { b.restoreLink(); });
    QVERIFY(connectSession(session, *bench));
  }

  void aTaskThatThrowsDoesNotEndTheProgram() {
    std::mutex mutex;
    std::vector<std::string> faults;
    std::promise<void> reached;
    Worker worker([&](const std::string& what) {
      const std::lock_guard lock(mutex);
      faults.push_back(what);
    });
    worker.post([](Worker::State&) { throw std::out_of_range("made to fail"); });
    worker.post([&](Worker::State&) { reached.set_value(); });
    reached.get_future().wait();
    const std::lock_guard lock(mutex);
    QCOMPARE(faults.size(), std::size_t{1});
    VERIFY_CONTAINS(faults[0], "this is a fault of Imprimo: made to fail");
  }

  /// What became of a unit is told though the bench is disconnected, or the window closed, at once.
  void whatMustBeDoneIsDone() {
    std::atomic<int> kept = 0, dropped = 0;
    {
      Worker worker([](const std::string&) {});
      std::promise<void> go;
      const auto until = std::make_shared<std::shared_future<void>>(go.get_future().share());
      worker.post([until](Worker::State&) { until->wait(); });
      worker.postKept([&](Worker::State&) { ++kept; });
      worker.post([&](Worker::State&) { ++dropped; });
      worker.postUrgent([&](Worker::State&) { ++dropped; });
      worker.clear();
      go.set_value();
      QTRY_COMPARE_WITH_TIMEOUT(kept.load(), 1, kPatience);
      std::promise<void> again;
      const auto second = std::make_shared<std::shared_future<void>>(again.get_future().share());
      worker.post([second](Worker::State&) { second->wait(); });
      worker.postKept([&](Worker::State&) { ++kept; });
      again.set_value();
    }
    QCOMPARE(kept.load(), 2);
    QCOMPARE(dropped.load(), 0);
  }

  void readingInTheBackgroundGoesPieceByPieceAndEnds() {
    auto bench = demo();
    BenchSession session;
    std::size_t pieces = 0;
    MemoryImage known;
    connect(&session, &BenchSession::contentsChanged, this, [&](const ContentsUpdate& news) {
      if (!news.contents.empty()) ++pieces;
      known.write(news.contents);
    });
    QSignalSpy done(&session, &BenchSession::backgroundRead);
    QVERIFY(connectSession(session, *bench));
    session.readInBackground("boot-flash", {{0, 0x28000}, {0x400000, 0x401000}});
    QVERIFY(done.wait(kPatience));
    QCOMPARE(pieces, 6u);
    QVERIFY(known.covers({0, 0x28000}) && known.covers({0x400000, 0x401000}));
    QCOMPARE(known.byteCount(), 0x29000u);
  }

  void onlyTheLatestPlanIsMade() {
    BenchSession session;
    std::vector<std::uint64_t> bytes;
    connect(&session, &BenchSession::planned, this,
            [&](const PlanPtr& plan) { bytes.push_back(plan->bytesToWrite()); });
    memory::Geometry g;
    g.size = 1 << 20;
    g.erase = {{4096, 0.045, 0.4}};
    for (std::size_t n = 1; n <= 20; ++n) {
      auto wanted = std::make_shared<plan::Wanted>();
      wanted->memory = "m";
      wanted->image.write(0, Bytes(n * 1000, 1));
      session.plan(wanted, g);
    }
    QTRY_VERIFY_WITH_TIMEOUT(!bytes.empty() && bytes.back() == 20'000, kPatience);
    QVERIFY(bytes.size() < 20);
  }

  void endingWhileItWorksIsOrderly() {
    auto bench = demo();
    auto session = std::make_unique<BenchSession>();
    QVERIFY(connectSession(*session, *bench));
    session->readInBackground("boot-flash", {{0, 8u << 20}});
    QTest::qWait(30);
    session.reset();
    QCOMPARE(bench->with([](sim::Bench& b) { return b.violations(); }), std::string());
  }
};
IMPRIMO_TEST(SessionTest);

class SmallPiecesTest : public QObject {
  Q_OBJECT
 private slots:
  void theCursorStaysInsideAndRemembers() {
    MemoryCursor cursor;
    QSignalSpy moved(&cursor, &MemoryCursor::moved);
    cursor.reset({0, 100});
    cursor.moveTo(500);
    QCOMPARE(cursor.position(), 99u);
    cursor.jumpTo(10);
    cursor.jumpTo(20);
    cursor.jumpTo(20);
    cursor.back();
    cursor.back();
    QCOMPARE(cursor.position(), 10u);
    cursor.back();
    cursor.back();
    QCOMPARE(cursor.position(), 99u);
    QCOMPARE(moved.count(), 6);
    cursor.reset({0, 0});
    cursor.moveTo(5);
    QCOMPARE(cursor.position(), 0u);
  }

  void theLogKeepsEverythingAndShowsTheLast() {
    LogStrip strip;
    strip.resize(600, 40);
    strip.show();
    strip.add("first things first", false);
    strip.add("then trouble\nwith a second line", true);
    QVERIFY(strip.findChild<QLabel*>("lastMessage")->text().startsWith("Then trouble"));
    const QString all = strip.text();
    QVERIFY(all.contains("First things first") && all.contains("! Then trouble\nwith a second line"));
    QVERIFY(!strip.isOpen());
    QTest::mouseClick(strip.findChild<QToolButton*>("toggleLog"), Qt::LeftButton);
    QVERIFY(strip.isOpen());
  }

  void aDocumentTellsOfChangesAndKeepsPathsWorking() {
    QTemporaryDir there;
    SheetDocument document;
    QSignalSpy placements(&document, &SheetDocument::placementsChanged);
    document.open(QString(IMPRIMO_DEMO) + "/gauge-rev-b.imprimo");
    QVERIFY(!document.isModified());
    document.addFile("boot-flash", QString(IMPRIMO_DEMO) + "/fallback.bin", 0x600000);
    COMPARE_TEXT(document.sheet().placements.back().file, "fallback.bin");  // relative to the sheet
    document.addFile("boot-flash", "/elsewhere/x.bin", 0x700000);
    COMPARE_TEXT(document.sheet().placements.back().file, "/elsewhere/x.bin");
    QVERIFY(document.isModified());
    document.movePlacement(4, 0);
    COMPARE_TEXT(document.sheet().placements[0].file, "/elsewhere/x.bin");
    document.removePlacement(0);
    QCOMPARE(placements.count(), 4);
    QCOMPARE(document.sheet().placements.size(), 4u);
    QVERIFY(kindOf([&] { document.saveAs("/nowhere/at/all.imprimo"); }) == ErrorKind::CannotWrite);
    QVERIFY(document.isModified());
    document.saveAs(there.filePath("moved.imprimo"));
    QVERIFY(!document.isModified());
    // From its new folder the sheet still finds the files that were placed.
    const Piece piece = readPiece(document.sheet().placements.back(), document.sheet().folder());
    QCOMPARE(piece.image.extent().begin, 0x600000u);
    QCOMPARE(sheet::readSheet(there.filePath("moved.imprimo").toStdString()).chain.size(), 3u);
  }
};
IMPRIMO_TEST(SmallPiecesTest);
#include "tst_session.moc"
