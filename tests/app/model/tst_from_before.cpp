// SPDX-License-Identifier: GPL-3.0-or-later
//
// What was read before another board, a restart or a lost link is shown as such, and read again where it is looked at.
#include "app/bench/byte_zip.h"
#include "app/bench/sector_map.h"
#include "core/run/run_notes.h"
#include "core/store/copy_store.h"
#include "core/store/folder_notes.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

constexpr AddressRange kFar{0x200000, 0x200400};

bool untilSure(Stage& s, const AddressRange& range) {
  s.window.bench().show(range);
  return QTest::qWaitFor([&] { return s.window.bench().looks().isSure(range); }, kPatience);
}

bool untilIdle(Stage& s) {
  return QTest::qWaitFor([&] { return s.window.bench().run().record() && !s.window.bench().run().isRunning(); },
                         kPatience);
}

}  // namespace

class FromBeforeTest : public QObject {
  Q_OBJECT
 private slots:
  void theFirstBoardsBytesAreNotShownForEver() {
    Stage s;
    Workbench& b = s.window.bench();
    QVERIFY(s.untilPlanned());
    QVERIFY(untilSure(s, kFar));
    s.demo->with([](sim::Bench& bench) {
      bench.board().cyclePower();
      for (unsigned a = 0; a < 0x700000; ++a)
        bench.flash("boot-flash").cells().set(a, static_cast<std::uint8_t>(a * 7 + 1));
    });
    b.confirmAction->trigger();
    QVERIFY(untilIdle(s));
    QCOMPARE(b.run().record()->outcome, run::Outcome::Mismatch);
    QVERIFY(!b.looks().isSure(kFar));
    // Scrolling there reads it again.
    QVERIFY(untilSure(s, kFar));
    for (std::uint64_t a = kFar.begin; a < kFar.end; ++a)
      QCOMPARE(b.looks().contents().at(a), std::optional(static_cast<std::uint8_t>(a * 7 + 1)));
  }

  void behindARestartEverythingIsFromBefore() {
    Stage s;
    Workbench& b = s.window.bench();
    QVERIFY(s.untilPlanned());
    QVERIFY(untilSure(s, kFar));
    QVERIFY(!b.looks().anyFromBefore());
    b.restartAction->trigger();
    QVERIFY(untilIdle(s));
    QTRY_VERIFY_WITH_TIMEOUT(b.looks().anyFromBefore(), kPatience);
    QVERIFY(!b.looks().isSure(kFar) && b.looks().contents().covers(kFar));
    const std::size_t block = b.looks().geometry().blockIndex(kFar.begin);
    QVERIFY(b.looks().isFromBefore(block));
    auto* map = s.find<SectorMap>("sectorMap");
    QVERIFY(map->textOf(map->grid().tileOf(block)).contains("as read before; not read since"));
    QVERIFY(s.find<QLabel>("memoryFigure")->accessibleName().contains("from before"));
  }

  void aSheetThatIsConnectedAgainShowsWhatItKnewAsFromBefore() {
    Stage s;
    Workbench& b = s.window.bench();
    QVERIFY(s.untilPlanned());
    QVERIFY(untilSure(s, kFar));
    b.disconnectAction->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(b.looks().anyFromBefore(), kPatience);
    b.link().connectTo(QString::fromStdString(s.demo->address()));
    s.loadBridge();
    QVERIFY(s.untilPlanned());
    QVERIFY(b.looks().contents().covers(kFar));
    QVERIFY(!b.looks().isSure(kFar));
    QVERIFY(untilSure(s, kFar));
  }

  /// The design writes to its flash after a write and a restart; the next write keeps what it wrote.
  void whatTheDesignWroteMeanwhileIsKept() {
    Stage s;
    Workbench& b = s.window.bench();
    QVERIFY(s.untilPlanned());
    b.goAction->trigger();
    QVERIFY(untilIdle(s));
    QCOMPARE(b.run().record()->outcome, run::Outcome::Verified);
    // Restarted as the sheet says; the design logs into the kept range.
    const Bytes log(64, 0x21);
    s.demo->with([&](sim::Bench& bench) {
      for (std::size_t i = 0; i < log.size(); ++i) bench.flash("boot-flash").cells().set(0x7F0000 + i, log[i]);
      bench.flash("boot-flash").cells().set(0x10, 0x00);  // and something that the sheet plans is gone
    });
    // By what was read before, nothing is left to write; comparing finds out, and then it is written.
    QTRY_COMPARE_WITH_TIMEOUT(b.run().goText(), QString("Confirm boot-flash"), kPatience);
    b.goAction->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(b.run().record() && b.run().record()->outcome == run::Outcome::Mismatch, kPatience);
    QTRY_COMPARE_WITH_TIMEOUT(b.run().goText(), QString("Compare and write boot-flash"), kPatience);
    b.goAction->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(b.run().record() && b.run().record()->outcome == run::Outcome::Verified, kPatience);
    s.demo->with([&](sim::Bench& bench) {
      for (std::size_t i = 0; i < log.size(); ++i)
        QCOMPARE(bench.flash("boot-flash").cells().get(0x7F0000 + i), log[i]);
    });
  }

  /// A note of a run that was, as its contents say, not on this board: the window lets the user decide.
  void anEarlierRunThatDidNotEndIsAskedAbout() {
    for (const char* choice : {"finishEarlier", "forgetEarlier"}) {
      Stage s;
      Workbench& b = s.window.bench();
      QVERIFY(s.untilPlanned());
      const Bytes before = s.cells(0x6A3000, 0x100);
      MemoryImage old;
      old.write(0x6A3000, Bytes(0x1000, 0x77));
      run::RunNote note;
      note.begun = "2026-11-28T10:00:00Z";
      note.of = {"boot-flash", b.document().sheet().title, "0x7e4017", 1, 8u << 20};
      note.blocks = {{0x6A3000, 0x6A4000}};
      note.others = {{0x6A3000, 0x6A3100}};
      note.witnesses = {{{0, 0x1000}, 0x12345678}};
      note.copy = store::userCopies().save(note.of, old).filename().string();
      store::FolderNotes notes = store::userNotes();
      notes.put(note);
      b.goAction->trigger();
      QVERIFY(untilIdle(s));
      QVERIFY2(b.run().record()->unfinishedWork, b.run().record()->message.c_str());
      QVERIFY(!b.run().record()->changed);
      QVERIFY(s.find<QPushButton>("finishEarlier")->isVisible() && s.find<QPushButton>("forgetEarlier")->isVisible());
      QVERIFY(s.find<QLabel>("outcome")->text().contains("did not end"));
      s.click(choice);
      QTRY_VERIFY_WITH_TIMEOUT(b.run().record() && !b.run().record()->unfinishedWork, kPatience);
      QVERIFY2(b.run().record()->outcome == run::Outcome::Verified, b.run().record()->message.c_str());
      const bool finished = std::string_view(choice) == "finishEarlier";
      QCOMPARE(s.cells(0x6A3000, 0x100), finished ? Bytes(0x100, 0x77) : before);
      QVERIFY(notes.open().empty());
      QVERIFY(!s.find<QPushButton>("forgetEarlier")->isVisible());
    }
  }
};
IMPRIMO_TEST(FromBeforeTest);
#include "tst_from_before.moc"
