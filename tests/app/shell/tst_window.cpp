// SPDX-License-Identifier: GPL-3.0-or-later
//
// The real window with the river gauge on a simulated bench, driven by clicks and keys.
#include <QApplication>
#include <QClipboard>
#include <QDir>
#include <QDropEvent>
#include <QInputDialog>
#include <QLineEdit>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QScrollBar>
#include <QTemporaryDir>
#include <QTimer>
#include <QToolButton>
#include <QToolTip>

#include "app/bench/byte_zip.h"
#include "app/bench/sector_map.h"
#include "app/rail/chain_rail.h"
#include "app/shell/demo_bench.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "core/base/input_file.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class WindowTest : public QObject {
  Q_OBJECT
 private slots:
  void programsByTheOneButton() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* go = s.find<QPushButton>("go");
    QCOMPARE(go->text(), QString("Write 76 blocks of boot-flash"));
    QVERIFY(s.window.bench().looks().differingBlocks() > 0);
    QTest::mouseClick(go, Qt::LeftButton);
    QVERIFY(s.window.bench().run().isRunning());
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
    for (const StepStatus& step : s.window.bench().run().steps()) QCOMPARE(step.state, StepStatus::Done);
    // What agrees has melted: no block differs any more, and the button offers to confirm.
    QCOMPARE(s.window.bench().looks().differingBlocks(), 0u);
    QTRY_COMPARE_WITH_TIMEOUT(go->text(), QString("Confirm boot-flash"), kPatience);
    QVERIFY(s.find<QLabel>("outcome")->text().contains("confirmed by reading back"));
    const Bytes expected = readFile(s.folder.filePath("fallback.bin").toStdString());
    Bytes stored = s.cells(0x400000, expected.size());
    for (auto& b : stored) b = reverseBits(b);
    QCOMPARE(stored, expected);
    QVERIFY(s.demo->with([](sim::Bench& b) { return b.violations(); }).empty());
    // Once more, by the keyboard: only confirmed.
    const auto before = s.erases();
    QTest::keyClick(&s.window, Qt::Key_Return, Qt::ControlModifier);
    QTRY_VERIFY_WITH_TIMEOUT(
        s.window.bench().run().record() && s.window.bench().run().record()->outcome == run::Outcome::Match, kPatience);
    QCOMPARE(s.erases(), before);
  }

  void aRunCanBeStopped() {
    Stage s({}, true, true);  // as slow as a real bench, so that there is something to stop
    QVERIFY(s.untilPlanned());
    s.click("go");
    QVERIFY(QTest::qWaitFor(
        [&] {
          return s.window.bench().run().steps().size() > 5 &&
                 s.window.bench().run().steps()[5].state == StepStatus::Running;
        },
        kPatience));
    QCOMPARE(s.find<QPushButton>("go")->text(), QString("Stop"));
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Stopped);
    QVERIFY(s.find<QLabel>("outcome")->text().contains("nothing else was addressed"));
    QVERIFY(s.demo->with([](sim::Bench& b) { return b.violations(); }).empty());
    // Going on from there ends well.
    QTRY_VERIFY_WITH_TIMEOUT(s.window.bench().run().goText().startsWith("Write"), kPatience);
    s.click("go");
    QVERIFY(QTest::qWaitFor(
        [&] {
          return s.window.bench().run().record() && s.window.bench().run().record()->outcome == run::Outcome::Verified;
        },
        kPatience));
  }

  void jumpsToDifferences() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.click("nextDifference");
    QCOMPARE(s.window.bench().cursor().position(), 0x00002Bu);  // the last byte of its user code
    s.click("nextDifference");
    QCOMPARE(s.window.bench().cursor().position(), 0x064018u);
    QCOMPARE(s.find<QLineEdit>("address")->text(), QString("0x064018"));
    auto* bytes = s.find<ByteZip>("byteZip");
    QVERIFY(bytes->visible().contains(0x064018));
    QTest::keyClick(&s.window, Qt::Key_F3);
    QCOMPARE(s.window.bench().cursor().position(), 0x064019u);
    QTest::keyClick(&s.window, Qt::Key_Left, Qt::AltModifier);
    QCOMPARE(s.window.bench().cursor().position(), 0x064018u);
  }

  void anotherBoardIsRefused() {
    Stage s([](QString& bench) { bench.replace("0x1F40AFFD", "0x1F41AFFD"); });
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().link().state() == LinkState::Mismatch; }, kPatience));
    const auto& items = s.find<ChainRail>("chainRail")->layoutOfRail().items;
    const auto wrong =
        std::find_if(items.begin(), items.end(), [](const RailItem& i) { return i.state == RailItem::Differs; });
    QVERIFY(wrong != items.end());
    QCOMPARE(wrong->title, QString("correlator"));
    QCOMPARE(wrong->trouble, QString("part number differs"));
    QCOMPARE(wrong->foundId, std::optional<std::uint32_t>{0x1F41AFFD});
    QVERIFY(wrong->fields.partNumber && !wrong->fields.version && !wrong->fields.maker);
    QVERIFY(!s.window.bench().run().canGo());
    QVERIFY(s.window.findChild<LogStrip*>()->text().contains("Part 2 should be 0x?f40affd"));
    QVERIFY(s.demo->with([](sim::Bench& b) { return b.flash("boot-flash").commands().empty(); }));
  }

  void noBridgeIsTold() {
    Stage s([](QString& bench) { bench.replace("\"register\": \"bridge\"", "\"register\": \"bypass\""); });
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().link().state() == LinkState::Connected; }, kPatience));
    QVERIFY(s.window.findChild<LogStrip*>()->text().contains("No bridge answers in correlator"));
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Refused);
    QVERIFY(s.window.bench().neededBridge() && s.window.bench().looks().empty());
    QVERIFY(s.demo->with([](sim::Bench& b) { return b.flash("boot-flash").commands().empty(); }));
  }

  void aLostLinkInTheMiddleIsTold() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.demo->with([](sim::Bench& b) { b.dropLinkAtPacket(b.packets() + 1500); });
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->error, std::optional{ErrorKind::LinkLost});
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().link().state(), LinkState::NotConnected, kPatience);
    QVERIFY(s.find<QLabel>("outcome")->text().contains("What was there is saved in"));
    // Nothing is certain any more; what was read is shown as from before.
    QVERIFY(s.window.bench().looks().anyFromBefore());
    QVERIFY(!s.window.bench().looks().isSure({0, 1}));
  }

  void theAddressBoxGoesThereAndRefusesNonsense() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* box = s.find<QLineEdit>("address");
    QTest::keyClick(&s.window, Qt::Key_G, Qt::ControlModifier);
    QVERIFY(box->hasFocus());
    QTest::keyClicks(box, "0x6A2A00");
    QTest::keyClick(box, Qt::Key_Return);
    QCOMPARE(s.window.bench().cursor().position(), 0x6A2A00u);
    // Only what is on screen is read, and soon: the text that is there appears.
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().looks().contents().at(0x6A2A00), std::optional<std::uint8_t>{'s'},
                              kPatience);
    QVERIFY(!s.window.bench().looks().contents().covers({0, 8u << 20}));
    box->selectAll();
    QTest::keyClicks(box, "900000");
    QTest::keyClick(box, Qt::Key_Return);
    QVERIFY(box->property("wrong").toBool() == false);
    QCOMPARE(s.window.bench().cursor().position(), 900000u);
    box->selectAll();
    QTest::keyClicks(box, "0x800000");
    QTest::keyClick(box, Qt::Key_Return);
    QVERIFY(box->property("wrong").toBool());
    QCOMPARE(s.window.bench().cursor().position(), 900000u);
  }

  void mapAndBytesAreDrivenByKeysAndShareOnePosition() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* map = s.find<SectorMap>("sectorMap");
    auto* bytes = s.find<ByteZip>("byteZip");
    const SectorGrid grid = map->grid();
    QTest::mouseClick(map, Qt::LeftButton, {}, grid.rectOf(grid.columns + 3).center());
    const std::uint64_t tile = grid.blocksPerTile * 4096;
    QCOMPARE(s.window.bench().cursor().position(), tile * static_cast<std::uint64_t>(grid.columns + 3));
    QTest::keyClick(map, Qt::Key_Right);
    QTest::keyClick(map, Qt::Key_Down);
    QCOMPARE(s.window.bench().cursor().position(), tile * static_cast<std::uint64_t>(2 * grid.columns + 4));
    QTest::keyClick(map, Qt::Key_Home);
    QCOMPARE(s.window.bench().cursor().position(), 0u);
    QTest::keyClick(map, Qt::Key_End);
    QVERIFY(bytes->visible().contains(s.window.bench().cursor().position()));
    QVERIFY(map->textOf(grid.tiles - 1).contains("kept"));

    QTest::keyClick(map, Qt::Key_Home);
    QTest::keyClick(bytes, Qt::Key_Right);
    QTest::keyClick(bytes, Qt::Key_Down);
    const auto perRow = static_cast<std::uint64_t>(bytes->layoutNow().perRow);
    QCOMPARE(s.window.bench().cursor().position(), perRow + 1);
    QTest::keyClick(bytes, Qt::Key_PageDown);
    QCOMPARE(s.window.bench().cursor().position(),
             perRow + 1 + perRow * static_cast<std::uint64_t>(bytes->layoutNow().rows));
    QTest::keyClick(bytes, Qt::Key_End, Qt::ControlModifier);
    QCOMPARE(s.window.bench().cursor().position(), (8u << 20) - 1);
    QTest::keyClick(bytes, Qt::Key_Home, Qt::ControlModifier);
    for (int i = 0; i < 3; ++i) QTest::keyClick(bytes, Qt::Key_Right, Qt::ShiftModifier);
    QTest::keyClick(bytes, Qt::Key_C, Qt::ControlModifier);
    QCOMPARE(QApplication::clipboard()->text(), QString("FF FF FF FF"));
    QTest::mouseClick(bytes->viewport(), Qt::LeftButton, {}, bytes->layoutNow().hexRect(Lane::Device, 2, 5).center());
    QCOMPARE(s.window.bench().cursor().position(), 2 * perRow + 5);
    QCOMPARE(bytes->lane(), Lane::Device);
  }

  void findsBytesAndTexts() {
    Stage s;
    QVERIFY(s.untilPlanned());
    QTest::keyClick(&s.window, Qt::Key_F, Qt::ControlModifier);
    auto* find = s.find<QLineEdit>("find");
    QVERIFY(find->isVisible());
    QTest::keyClicks(find, "59 8a 36 87");  // the sync word: as stored its bits are reversed
    QTest::keyClick(find, Qt::Key_Return);
    QCOMPARE(s.window.bench().cursor().position(), 32u);
    find->clear();
    QTest::keyClicks(find, "\"no such text anywhere\"");
    QTest::keyClick(find, Qt::Key_Return);
    QCOMPARE(s.window.bench().cursor().position(), 32u);
    QVERIFY(s.window.findChild<LogStrip*>()->text().contains("Not found"));
  }

  void filesAreDroppedMovedAndTakenOut() {
    Stage s;
    QVERIFY(s.untilPlanned());
    QFile file(s.folder.filePath("note.bin"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write("a note\x80\x81\x82\x83\x84\x85\x86");  // a text would have to be called raw binary
    file.close();
    s.window.bench().cursor().moveTo(0x500000);
    auto* panel = s.find<QWidget>("goesIn");
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(file.fileName())});
    QDragEnterEvent enter(QPoint(5, 5), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(panel, &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent drop(QPointF(5, 5), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(panel, &drop);
    const auto& placements = s.window.bench().document().sheet().placements;
    QCOMPARE(placements.size(), 4u);
    QCOMPARE(placements[3].at, std::optional<std::uint64_t>{0x500000});
    COMPARE_TEXT(placements[3].file, "note.bin");
    QVERIFY(s.window.bench().document().isModified());
    QTRY_VERIFY_WITH_TIMEOUT(
        s.untilPlanned() && s.window.bench().run().plan()->target.at(0x500000) == std::optional<std::uint8_t>{'a'},
        kPatience);

    QTRY_COMPARE_WITH_TIMEOUT(panel->findChildren<QToolButton*>("removePiece").size(), 4, kPatience);
    auto* address = panel->findChildren<QLineEdit*>("pieceAddress").last();
    address->setFocus();
    address->selectAll();
    QTest::keyClicks(address, "0x100000");
    QTest::keyClick(address, Qt::Key_Return);
    QCOMPARE(placements[3].at, std::optional<std::uint64_t>{0x100000});
    QTRY_VERIFY_WITH_TIMEOUT(s.find<QLabel>("outcome")->text().contains("overlap"), kPatience);
    QVERIFY(!s.window.bench().run().canGo());

    QTRY_COMPARE_WITH_TIMEOUT(panel->findChildren<QToolButton*>("pieceUp").size(), 4, kPatience);
    QTest::mouseClick(panel->findChildren<QToolButton*>("pieceUp").last(), Qt::LeftButton);
    COMPARE_TEXT(placements[2].file, "note.bin");
    QTest::qWait(20);
    const auto ofNote = [&](const char* what) {
      for (auto* name : panel->findChildren<QToolButton*>("pieceName")) {
        if (name->text() == "note.bin") return name->parentWidget()->findChild<QToolButton*>(what);
      }
      return static_cast<QToolButton*>(nullptr);
    };
    QTest::mouseClick(ofNote("pieceBits"), Qt::LeftButton);
    QVERIFY(placements[2].reversed);
    QTest::qWait(20);
    QTest::mouseClick(ofNote("removePiece"), Qt::LeftButton);
    QCOMPARE(placements.size(), 3u);
    QVERIFY(s.untilPlanned());
    QVERIFY(s.window.bench().run().canGo());

    // Saved, the sheet is as it was before, but for what was learned of the memory.
    QTest::keyClick(&s.window, Qt::Key_S, Qt::ControlModifier);
    QVERIFY(!s.window.bench().document().isModified());
    const auto saved = sheet::readSheet(s.folder.filePath("gauge-rev-b.imprimo").toStdString());
    QVERIFY(saved.placements == placements);
    QVERIFY(!saved.memories[0].lastSeen.empty());
  }

  void bookmarksAreKeptInTheSheet() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.window.bench().cursor().moveTo(0x123456);
    QTimer::singleShot(200, [] {
      auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
      if (dialog == nullptr) return;
      dialog->setTextValue("my place");
      dialog->accept();
    });
    QTest::keyClick(&s.window, Qt::Key_B, Qt::ControlModifier);
    QCOMPARE(s.window.bench().document().sheet().bookmarks.back().at, 0x123456u);
    s.window.bench().cursor().moveTo(0);
    QToolButton* chip = nullptr;
    for (auto* button : s.window.findChildren<QToolButton*>("mark")) {
      if (button->text() == "my place") chip = button;
    }
    QVERIFY(chip != nullptr);
    chip->click();
    QCOMPARE(s.window.bench().cursor().position(), 0x123456u);
    QVERIFY(s.window.bench().keeping().save());
    COMPARE_TEXT(sheet::readSheet(s.folder.filePath("gauge-rev-b.imprimo").toStdString()).bookmarks.back().name,
                 "my place");
  }

  void scrollingNeverWaitsForTheProbe() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* bytes = s.find<ByteZip>("byteZip");
    // While the bench is held, scrolling and painting go on; the bytes come when it answers.
    s.demo->with([&](sim::Bench&) {
      for (int i = 0; i < 50; ++i) {
        bytes->verticalScrollBar()->setValue(bytes->verticalScrollBar()->maximum() / 50 * i);
        bytes->viewport()->grab();
      }
      return 0;
    });
    bytes->verticalScrollBar()->setValue(static_cast<int>(0x7F0000 / static_cast<unsigned>(bytes->layoutNow().perRow)));
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().looks().contents().at(0x7F0000), std::optional<std::uint8_t>{'R'},
                              kPatience);
  }

  void withoutAProbeTheSheetCanBeWorkedOn() {
    Stage s({}, false);
    QCOMPARE(s.window.bench().link().state(), LinkState::NotConnected);
    QCOMPARE(s.find<QPushButton>("go")->text(), QString("Connect a probe…"));
    QVERIFY(s.find<QLabel>("linkWords")->text().contains("Ctrl+K"));
    // The planned bytes are there to be looked at.
    QVERIFY(s.window.bench().cursor().whole().end > 0x400000);
  }

  void aSheetIsStartedFromWhatIsConnected() {
    // One part: its instruction length is certain.
    Stage s(
        [](QString& bench) {
          bench =
              R"({"imprimo_bench": 1, "chain": [{"name": "p", "ir_length": 5, "idcode": "0x1FFD", "instructions": [{"opcode": "00001", "register": "idcode"}]}]})";
        },
        false);
    MainWindow fresh{viewTable()};
    fresh.show();
    fresh.findChild<QAction*>("start")->trigger();
    auto* address = fresh.findChild<QLineEdit*>("probeAddress");
    QTRY_VERIFY_WITH_TIMEOUT(address->isVisible(), kPatience);
    address->setText(QString::fromStdString(s.demo->address()));
    QTest::keyClick(address, Qt::Key_Return);
    QTRY_COMPARE_WITH_TIMEOUT(fresh.bench().link().state(), LinkState::Connected, kPatience);
    QCOMPARE(fresh.bench().document().sheet().chain.size(), 1u);
    QCOMPARE(fresh.bench().document().sheet().chain[0].irLength, 5u);
    QVERIFY(fresh.bench().document().isModified());
  }

  void badSheetsAreToldAndTheOpenOneStays() {
    Stage s({}, false);
    QFile bad(s.folder.filePath("bad.imprimo"));
    QVERIFY(bad.open(QIODevice::WriteOnly));
    bad.write("{\"imprimo\": 1,\n\"chain\": 5}");
    bad.close();
    QVERIFY(!s.window.bench().keeping().open(bad.fileName()));
    QVERIFY(s.window.findChild<LogStrip*>()->text().contains("bad.imprimo:2: chain: should be a list"));
    QCOMPARE(s.window.bench().document().sheet().chain.size(), 3u);
  }

  void bothThemesAndSizesArePainted() {
    Stage s;
    QVERIFY(s.untilPlanned());
    QList<QRgb> papers;
    for (const bool dark : {false, true}) {
      s.window.setDark(dark);
      for (const QSize size : {QSize(1280, 800), QSize(1920, 1080)}) {
        s.window.resize(size);
        QTest::qWait(30);
        QCOMPARE(s.window.size(), size);
        const QImage picture = s.window.grab().toImage();
        papers += picture.pixel(240, 300);
      }
    }
    QCOMPARE(papers[0], papers[1]);
    QVERIFY(papers[0] != papers[2]);
    s.window.setDark(false);
  }
};
IMPRIMO_TEST(WindowTest);
#include "tst_window.moc"
