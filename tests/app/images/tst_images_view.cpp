// SPDX-License-Identifier: GPL-3.0-or-later
//
// Building an image in the real window, by clicks, keys and drops.
#include "tests/app/images/desk.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class ImagesViewTest : public QObject {
  Q_OBJECT
 private slots:
  void theSheetsPlacementsAreThere() {
    Desk d;
    QCOMPARE(d.image().files().size(), 3u);
    QCOMPARE(d.find<QLabel>("imageTitle")->text(), QString("boot-flash image"));
    QCOMPARE(d.verdict(), QString("all well"));
    QVERIFY(d.image().keptInSheet());
    QVERIFY(!d.find<QPushButton>("keepInSheet")->isEnabled());
  }

  void aPieceIsDraggedAndSnapsToBlocks() {
    Desk d;
    const QPoint from = d.middleOf(1);
    QTest::mousePress(d.ruler(), Qt::LeftButton, {}, from);
    QCOMPARE(d.image().selected(), std::optional<std::size_t>{1});
    QTest::mouseMove(d.ruler(), from + QPoint(0, 40));
    QTest::mouseMove(d.ruler(), from + QPoint(0, 61));
    QCOMPARE(d.beginOf(1), 0x400000u);  // nothing moves before it is let go
    QTest::mouseRelease(d.ruler(), Qt::LeftButton, {}, from + QPoint(0, 61));
    QVERIFY(d.beginOf(1) > 0x480000);
    QCOMPARE(d.beginOf(1) % 0x1000, 0u);
    QVERIFY(!d.image().keptInSheet());
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(d.beginOf(1), 0x400000u);
    QVERIFY(d.image().keptInSheet());
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(d.beginOf(1) > 0x480000);
  }

  void keysMoveItAsWell() {
    Desk d;
    d.ruler()->setFocus();
    QTest::keyClick(d.ruler(), Qt::Key_Down);
    QCOMPARE(d.image().selected(), std::optional<std::size_t>{1});
    QTest::keyClick(d.ruler(), Qt::Key_Down, Qt::ControlModifier);
    QCOMPARE(d.beginOf(1), 0x401000u);
    QTest::keyClick(d.ruler(), Qt::Key_Up, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(d.beginOf(1), 0x3F1000u);
    QTest::keyClick(d.ruler(), Qt::Key_Down, Qt::ControlModifier | Qt::AltModifier);
    QCOMPARE(d.beginOf(1), 0x3F1001u);
    QTest::keyClick(d.ruler(), Qt::Key_Down, Qt::ControlModifier);
    QCOMPARE(d.beginOf(1), 0x3F2000u);
    // A row of such steps is one step to undo.
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(d.beginOf(1), 0x400000u);
    QTest::keyClick(d.ruler(), Qt::Key_Delete);
    QCOMPARE(d.image().files().size(), 2u);
  }

  void zoomKeepsThePlaceAndZeroShowsAll() {
    Desk d;
    d.ruler()->setFocus();
    d.image().setPosition(0x400000);
    for (int i = 0; i < 6; ++i) QTest::keyClick(d.ruler(), Qt::Key_Plus);
    const RulerGeometry g = d.ruler()->geometryNow();
    QVERIFY(g.shown.size() < 0x40000 && g.shown.contains(0x400000));
    QVERIFY(g.rectOf({0x400000, 0x401000}).height() > 5);
    QTest::keyClick(d.ruler(), Qt::Key_0);
    QCOMPARE(d.ruler()->geometryNow().shown.size(), 8u << 20);
    QVERIFY(d.ruler()->textAt(d.middleOf(2)).contains("gauge_cal.hex"));
  }

  void anOverlapBlocksSavingUntilItIsMended() {
    Desk d;
    d.image().moveTo(1, 0x100000);
    QCOMPARE(d.findings("overlap").size(), 1);
    QCOMPARE(d.verdict(), QString("1 error"));
    QVERIFY(!d.find<QPushButton>("imageSave")->isEnabled());
    QTest::mouseClick(d.findings("overlap").front()->findChild<QToolButton*>("findingShow"), Qt::LeftButton);
    QCOMPARE(d.image().position(), 0x100000u);
    d.type("imageAddress", "0x200000");  // of the first file: away from there
    QCOMPARE(d.beginOf(0), 0x200000u);
    QCOMPARE(d.findings("overlap").size(), 0);
    QVERIFY(d.find<QPushButton>("imageSave")->isEnabled());
  }

  void findingsAreAnsweredOrMended() {
    Desk d;
    d.drop({"supervisor.elf"});
    QCOMPARE(d.findings("code").size(), 1);
    QCOMPARE(d.verdict(), QString("1 error"));  // at its own address it lies over the first image
    d.image().moveTo(3, 0x600000);
    QCOMPARE(d.verdict(), QString("1 warning"));  // and it is code where none belongs
    QTest::mouseClick(d.findings("code").front()->findChild<QToolButton*>("findingMeant"), Qt::LeftButton);
    QCOMPARE(d.verdict(), QString("all well"));
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(d.verdict(), QString("1 warning"));
    QTest::mouseClick(d.findings("code").front()->findChild<QToolButton*>("findingRemove"), Qt::LeftButton);
    QCOMPARE(d.image().files().size(), 3u);
    // Bits the wrong way round: mended by one click.
    Placement plain = d.image().state().placements[0];
    plain.reversed = false;
    d.image().setPlacement(0, plain, "as it is");
    QTest::mouseClick(d.findings("sync").front()->findChild<QToolButton*>("findingMend"), Qt::LeftButton);
    QVERIFY(d.image().state().placements[0].reversed);
    QCOMPARE(d.verdict(), QString("all well"));
  }

  void filesWithoutAddressesFindRoomAndBadOnesAreTold() {
    Desk d;
    d.drop({"release-1/station.txt", "none.bin"});
    QCOMPARE(d.image().files().size(), 4u);
    QCOMPARE(d.beginOf(3), 0x6A3000u);
    QVERIFY(d.window.findChild<LogStrip*>()->text().contains("none.bin"));
    auto* address = d.window.view<ImagesView>().findChildren<QLineEdit*>("imageAddress").at(3);
    address->setFocus();
    address->selectAll();
    QTest::keyClicks(address, "nowhere");
    QTest::keyClick(address, Qt::Key_Return);
    QVERIFY(address->property("wrong").toBool());
    QCOMPARE(d.beginOf(3), 0x6A3000u);
  }

  void theMenuTurnsBytesAndTheViewShowsBoth() {
    Desk d;
    d.put("words.bin", {1, 2, 3, 4});
    d.drop({"words.bin"});
    const std::uint64_t at = d.beginOf(3);
    auto* files = d.window.view<ImagesView>().findChild<ImageFiles*>("imageFiles");
    const auto choose = [&](const char* name) {
      const std::unique_ptr<QMenu> menu(files->menuFor(3));
      menu->findChild<QAction*>(name)->trigger();
    };
    choose("swap32");
    auto* bytes = d.find<ImageBytes>("imageBytes");
    QCOMPARE(bytes->left(at), std::optional<std::uint8_t>{1});
    QCOMPARE(bytes->stored(at), std::optional<std::uint8_t>{4});
    choose("bitsReversed");
    QCOMPARE(bytes->stored(at), std::optional<std::uint8_t>{0x20});
    choose("padBlock");
    QCOMPARE(d.image().files()[3].piece->image.byteCount(), 0x1000u);
    answer("2+2");
    choose("cut");
    QCOMPARE(d.image().state().placements[3].cut, (std::optional<AddressRange>{{2, 4}}));
    QVERIFY(d.image().files()[3].problem.contains("not a whole number of 4-byte words"));
    QVERIFY(d.verdict().contains("error"));
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    bytes->setFocus();
    QTest::keyClick(bytes, Qt::Key_Right);
    QCOMPARE(d.image().position(), at + 1);
  }

  void patternsAndChecksumsAreAdded() {
    Desk d;
    answer("counting+4K");
    d.window.view<ImagesView>().findChild<QAction*>("addPattern")->trigger();
    QCOMPARE(d.image().files().size(), 4u);
    answer("crc32:0x6A3000..0x6A3FFB@0x6A3FFC");
    d.window.view<ImagesView>().findChild<QAction*>("addSum")->trigger();
    QCOMPARE(d.image().state().sums.size(), 1u);
    const Bytes expected = checksumOf(*checksumNamed("crc32"), patternBytes(*parsePattern("counting+0xFFC")));
    const Piece& piece = d.image().pieces()[3];
    QCOMPARE(piece.image.bytes({0x6A3FFC, 0x6A4000}), expected);
  }

  void aFileThatChangesIsReadAgain() {
    Desk d;
    d.put("live.bin", {1, 2, 3});
    d.drop({"live.bin"});
    d.put("live.bin", {4, 5, 6, 7});  // replaced by another file, as tools do
    QTRY_COMPARE_WITH_TIMEOUT(d.image().files()[3].piece->image.byteCount(), 4u, 10'000);
    QVERIFY(d.window.findChild<LogStrip*>()->text().contains("Read again, since it changed on disk: live.bin"));
    d.put("live.bin", {9});  // and once more: the watch goes on
    QTRY_COMPARE_WITH_TIMEOUT(d.image().files()[3].piece->image.byteCount(), 1u, 10'000);
    QFile::remove(d.path("live.bin"));
    QTRY_VERIFY_WITH_TIMEOUT(!d.image().files()[3].problem.isEmpty(), 10'000);
  }

  void keptInTheSheetAndTakenToTheBench() {
    Desk d;
    d.image().moveTo(1, 0x500000);
    QCOMPARE(d.window.bench().document().sheet().placements[1].at, std::optional<std::uint64_t>{0x400000});
    QTest::mouseClick(d.find<QPushButton>("toBench"), Qt::LeftButton);
    QCOMPARE(d.window.bench().document().sheet().placements[1].at, std::optional<std::uint64_t>{0x500000});
    QVERIFY(d.window.findChild<QAction*>("benchTab")->isChecked());
    QVERIFY(d.window.bench().run().pieces()[1].image.covers({0x500000, 0x500100}));
    // What was done can still be undone here, and kept again.
    QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(d.beginOf(1), 0x400000u);
    QCoreApplication::processEvents();
    QTest::mouseClick(d.find<QPushButton>("keepInSheet"), Qt::LeftButton);
    QCOMPARE(d.window.bench().document().sheet().placements[1].at, std::optional<std::uint64_t>{0x400000});
    // Placed otherwise on the bench: it is so here too.
    d.window.bench().document().removePlacement(2);
    QCOMPARE(d.image().files().size(), 2u);
  }

  void savedInAnyFormAndNeverHalf() {
    Desk d;
    QVERIFY(d.image().save(d.path("image.bin")));
    const Bytes raw = readFile(d.path("image.bin").toStdString());
    QCOMPARE(raw.size(), 0x6A2800u);
    QCOMPARE(raw[0x20], reverseBits(0x9A));
    auto* format = d.find<QComboBox>("imageFormat");
    format->setCurrentIndex(1);
    emit format->activated(1);
    d.type("imageRecord", "32");
    QVERIFY(d.image().save(d.path("image.hex")));
    QVERIFY(readTextFile(d.path("image.hex").toStdString()).starts_with(":20000000FFFF"));
    QCOMPARE(readImageFile(d.path("image.hex").toStdString()).image.bytes({0, raw.size()}), raw);
    format->setCurrentIndex(3);
    emit format->activated(3);  // 16-bit addresses do not reach
    QVERIFY(!d.image().save(d.path("image.hex")));
    QCOMPARE(readImageFile(d.path("image.hex").toStdString()).image.bytes({0, raw.size()}), raw);
    // A file that is newer than what was saved is told of.
    QTest::qWait(20);
    d.put("gauge_cal.hex", readFile(d.path("gauge_cal.hex").toStdString()));
    QTRY_COMPARE_WITH_TIMEOUT(d.findings("newer").size(), 1, 10'000);
  }

  void comparedWithAReadBack() {
    Desk d;
    MemoryImage before = d.image().pieces()[0].image;
    before.write(0x1234, Bytes{0x42});
    const Bytes bytes = before.bytes({0, 8u << 20});
    d.put("read_back.bin", bytes);
    d.image().compareWith(d.path("read_back.bin"));
    const Differences& found = d.image().comparison().differences();
    QCOMPARE(found.ranges.front().begin, 0x1234u);
    QVERIFY(found.ranges.back().begin >= 0x6A0000);  // what is placed there was not
    QCOMPARE(d.image().position(), 0x1234u);
    auto* lanes = d.find<ImageBytes>("imageBytes");
    QCOMPARE(lanes->left(0x1234), std::optional<std::uint8_t>{0x42});
    QVERIFY(lanes->leftTitle().contains("READ_BACK.BIN"));
    QVERIFY(d.image().comparison().report(d.image().pieces()).contains("first:  the image"));
    QVERIFY(d.image().comparison().report(d.image().pieces()).contains("0x001234"));
    QTest::mouseClick(d.find<QToolButton>("compareButton"), Qt::LeftButton);
    QVERIFY(!d.image().comparison().other());
  }
};
IMPRIMO_TEST(ImagesViewTest);
#include "tst_images_view.moc"
