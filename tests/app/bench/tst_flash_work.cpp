// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the window does with a configuration flash beside writing files: erasing ranges, typing bytes, registers, part
// cards, copies, differences, reading to a file, trying the bench.
#include <QCheckBox>
#include <QDialog>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QTableWidget>
#include <QTimer>
#include <QTreeWidget>

#include "app/bench/byte_zip.h"
#include "app/bench/copies_dialog.h"
#include "app/bench/differences_dialog.h"
#include "app/bench/sector_map.h"
#include "app/flash/memory_dialog.h"
#include "core/base/input_file.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {

/// A stage whose sheet names the demo's part card.
void withCard(QString& sheet) {
  sheet.replace("\"sync\"", R"("part": "parts/quill_q64.json", "sync")");
}

void typeRange(Stage& s, const char* text) {
  auto* edit = s.find<QLineEdit>("eraseRange");
  edit->clear();
  QTest::keyClicks(edit, text);
  QTest::keyClick(edit, Qt::Key_Return);
}

QString log(Stage& s) {
  return s.window.findChild<LogStrip*>()->text();
}

bool untilErasePlanned(Stage& s, const char* text) {
  return QTest::qWaitFor([&] { return s.find<QPushButton>("go")->text() == text; }, kPatience);
}

}  // namespace

class FlashWorkTest : public QObject {
  Q_OBJECT
 private slots:
  void erasesTypedRangesAndPutsBackWhatSharesABlock() {
    Stage s;
    QVERIFY(s.untilPlanned());
    const Bytes before = s.cells(0x6A0000, 0x4000);
    s.click("eraseIntent");
    typeRange(s, "0x6A0000..0x6A17FF");
    QVERIFY(untilErasePlanned(s, "Erase 2 blocks of boot-flash"));
    QTRY_VERIFY_WITH_TIMEOUT(
        s.find<QLabel>("eraseOthers")->text().contains("0x6A1000 – 0x6A1FFF: other data lives there and is put back"),
        kPatience);
    QVERIFY(s.find<QLabel>("eraseOthers")->text().contains("erase commands: 2 × 4 KiB"));
    const BlockLooks& looks = s.window.bench().looks();
    QCOMPARE(looks.looks()[0x6A0], BlockLook::WillErase);
    QCOMPARE(looks.looks()[0x6A1], BlockLook::SharedErase);
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Erased);
    QCOMPARE(s.cells(0x6A0000, 0x1800), Bytes(0x1800, 0xFF));
    QCOMPARE(s.cells(0x6A1800, 0x2800), Bytes(before.begin() + 0x1800, before.end()));
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QPushButton>("go")->text(), QString("Compare and erase boot-flash"),
                              kPatience);  // the board was restarted
    // The list is the sheet's, and kept with it.
    s.window.bench().keeping().save();
    QVERIFY(readTextFile(s.folder.filePath("gauge-rev-b.imprimo").toStdString()).find("\"from\": \"0x6A0000\"") !=
            std::string::npos);
  }

  void wholeBlocksGoByChoice() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.click("eraseIntent");
    typeRange(s, "0x6A1000+16");
    QVERIFY(untilErasePlanned(s, "Erase 1 block of boot-flash"));
    s.find<QCheckBox>("wholeBlocks")->click();
    QTRY_VERIFY_WITH_TIMEOUT(s.find<QLabel>("eraseOthers")->text().contains("3.98 KiB beside the ranges go too"),
                             kPatience);
    QVERIFY(untilErasePlanned(s, "Erase 1 block of boot-flash"));
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(s.cells(0x6A1000, 0x1000), Bytes(0x1000, 0xFF));
  }

  void rangesAreDraggedOnTheMapAndTakenOffTheList() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.click("eraseIntent");
    auto* map = s.find<SectorMap>("sectorMap");
    const SectorGrid grid = map->grid();
    QTest::mousePress(map, Qt::LeftButton, {}, grid.rectOf(130).center());
    QTest::mouseMove(map, grid.rectOf(133).center());
    QCOMPARE(map->marked(), (AddressRange{0x104000, 0x10C000}));
    QTest::mouseRelease(map, Qt::LeftButton, {}, grid.rectOf(133).center());
    QCOMPARE(s.window.bench().choice().eraseRanges(), (std::vector<AddressRange>{{0x104000, 0x10C000}}));
    // By keys, too: Shift with arrows marks, Enter takes.
    map->setFocus();
    s.window.bench().cursor().moveTo(0x200000);
    QTest::keyClick(map, Qt::Key_Right, Qt::ShiftModifier);
    QTest::keyClick(map, Qt::Key_Return);
    QCOMPARE(s.window.bench().choice().eraseRanges().size(), std::size_t{2});
    QCOMPARE(s.window.bench().choice().eraseRanges()[1], (AddressRange{0x200000, 0x204000}));
    QTRY_COMPARE_WITH_TIMEOUT(s.window.findChildren<QToolButton*>("removeErase").size(), 2, kPatience);
    QTest::mouseClick(s.window.findChildren<QToolButton*>("removeErase").first(), Qt::LeftButton);
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().choice().eraseRanges().size(), std::size_t{1}, kPatience);
    // Writing is as it was before.
    s.click("writeIntent");
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QPushButton>("go")->text(), QString("Write 76 blocks of boot-flash"), kPatience);
    QTest::mousePress(map, Qt::LeftButton, {}, grid.rectOf(3).center());
    QTest::mouseMove(map, grid.rectOf(9).center());
    QTest::mouseRelease(map, Qt::LeftButton, {}, grid.rectOf(9).center());
    QCOMPARE(s.window.bench().choice().eraseRanges().size(), std::size_t{1});
  }

  void withoutErasingWhatCannotBeIsKnownBeforehand() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.find<QCheckBox>("noErase")->click();
    QTRY_VERIFY_WITH_TIMEOUT(s.find<QLabel>("outcome")->text().contains("which takes an erase"), kPatience);
    QVERIFY(!s.window.bench().run().canGo());
    s.find<QCheckBox>("noErase")->click();
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QPushButton>("go")->text(), QString("Write 76 blocks of boot-flash"), kPatience);
  }

  void rangesThatCannotBeAreSaid() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.click("eraseIntent");
    for (const auto& [typed, told] : std::vector<std::pair<const char*, const char*>>{
             {"0x2000..0x1000", "is no range: write A..B"},
             {"0x1000+0", "is no range"},
             {"hello", "is no range"},
             {"0x7FF000+8K", "0x7FF000 – 0x800FFF reaches past the end of boot-flash, which is at 0x7FFFFF"}}) {
      typeRange(s, typed);
      QVERIFY2(log(s).contains(told), typed);
    }
    QVERIFY(s.window.bench().choice().eraseRanges().empty());
    typeRange(s, "0x1000..0x2FFF");
    typeRange(s, "0x2000..0x3FFF");  // overlapping ones join
    QCOMPARE(s.window.bench().choice().eraseRanges(), (std::vector<AddressRange>{{0x1000, 0x4000}}));
  }

  void bytesAreTypedInThePlannedLaneAndTakenBack() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* bytes = s.find<ByteZip>("byteZip");
    s.window.bench().cursor().jumpTo(0x6A3000);  // nothing is planned here
    bytes->setFocus();
    QTest::keyClicks(bytes, "5a");
    QTest::keyClicks(bytes, "A5");
    const BlockLooks& looks = s.window.bench().looks();
    QCOMPARE(looks.planned().bytes({0x6A3000, 0x6A3002}), (Bytes{0x5A, 0xA5}));
    QCOMPARE(s.window.bench().cursor().position(), 0x6A3002u);
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QToolButton>("editsName")->text(), QString("2 bytes typed"), kPatience);
    QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(!looks.planned().at(0x6A3001));
    QCOMPARE(looks.planned().at(0x6A3000), std::optional<std::uint8_t>{0x5A});
    // Over a file's byte, and the file's byte again.
    const std::uint8_t file = *looks.planned().at(0x1000);
    s.window.bench().cursor().jumpTo(0x1000);
    QTest::keyClicks(bytes, "77");
    QCOMPARE(looks.planned().at(0x1000), std::optional<std::uint8_t>{0x77});
    s.window.bench().cursor().jumpTo(0x1000);
    QTest::keyClick(bytes, Qt::Key_Delete);
    QCOMPARE(looks.planned().at(0x1000), std::optional{file});
    QTRY_VERIFY_WITH_TIMEOUT(s.window.bench().run().plan() && s.window.bench().run().plan()->complete, kPatience);
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QPushButton>("go")->text(), QString("Write 77 blocks of boot-flash"), kPatience);
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
    QCOMPARE(s.cells(0x6A3000, 2), (Bytes{0x5A, 0xFF}));
    // In the part's lane digits do nothing.
    QTest::keyClick(bytes, Qt::Key_Space);
    QTest::keyClicks(bytes, "11");
    QVERIFY(!looks.planned().at(0x6A3100));
  }

  void registersAreReadWrittenAndUndone() {
    Stage s({}, true, false, withCard);
    QVERIFY(s.untilPlanned());
    s.find<QAction>("deviceAction")->trigger();
    auto* dialog = s.window.findChild<MemoryDialog*>("memoryDialog");
    QVERIFY(dialog->findChild<QLabel*>("memoryHead")->text().contains("unique ID 51A7E2049C3300B6"));
    const auto figures = [&] {
      QStringList texts;
      for (QLabel* label : dialog->findChildren<QLabel*>("registerFigure")) texts += label->text();
      return texts;
    };
    QTRY_COMPARE_WITH_TIMEOUT(figures(), (QStringList{"0x00  00000000", "0x00  00000000"}), kPatience);
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().registers().size(), std::size_t{2}, kPatience);
    const auto bits = dialog->findChildren<QToolButton*>("registerBit");  // bit 7 first
    const auto writes = dialog->findChildren<QPushButton*>("registerWrite");
    QVERIFY(!bits[7]->isEnabled());  // busy
    QVERIFY(!writes[0]->isEnabled());
    QTest::mouseClick(bits[5], Qt::LeftButton);
    QCOMPARE(figures()[0], QString("0x00  00000000  →  0x04  00000100"));
    QTest::mouseClick(writes[0], Qt::LeftButton);
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().registers(), (std::vector<std::uint8_t>{0x04, 0x00}), kPatience);
    // The map shows what is protected now, and the plan clears and restores it.
    const BlockLooks& looks = s.window.bench().looks();
    QVERIFY(looks.isProtected(0x7E0) && !looks.isProtected(0x7DF));
    auto* map = s.find<SectorMap>("sectorMap");
    QVERIFY(map->textOf(map->grid().tileOf(0x7E0)).contains("protected by the part"));
    QTest::mouseClick(dialog->findChild<QToolButton*>("registersUndo"), Qt::LeftButton);
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().registers(), (std::vector<std::uint8_t>{0x00, 0x00}), kPatience);
    QVERIFY(!looks.isProtected(0x7E0));
    // What stays for ever is asked about.
    QTest::mouseClick(bits[8 + 4], Qt::LeftButton);
    QVERIFY(!writes[1]->isEnabled());
    QTest::mouseClick(dialog->findChildren<QCheckBox*>("registerForEver")[1], Qt::LeftButton, {}, QPoint(8, 8));
    QVERIFY(writes[1]->isEnabled());
    QTest::mouseClick(writes[1], Qt::LeftButton);
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().registers(), (std::vector<std::uint8_t>{0x00, 0x08}), kPatience);
    QTest::mouseClick(dialog->findChild<QToolButton*>("registersUndo"), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(dialog->findChild<QLabel*>("registersWords")->text().contains("the part did not take it"),
                             kPatience);
    // Its tables are there in words.
    const auto found = dialog->findChild<QTreeWidget*>("tablesTree")
                           ->findItems("erase type 1", Qt::MatchExactly | Qt::MatchRecursive, 2);
    QCOMPARE(found.size(), 1);
    QCOMPARE(found[0]->text(3), QString("4 KiB"));
    QCOMPARE(found[0]->parent()->text(1), QString("520F200C"));
    QVERIFY(s.demo->with([](sim::Bench& b) { return b.violations(); }).empty());
  }

  void aPartCardIsMadeHeldAgainstThePartAndUsed() {
    Stage s([](QString& bench) { bench.replace("\"sfdp\": \"newest\"", "\"sfdp\": \"none\""); });
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().link().state() == LinkState::Connected; }, kPatience));
    QVERIFY(s.window.bench().identity() == nullptr);
    s.find<QAction>("deviceAction")->trigger();
    auto* dialog = s.window.findChild<MemoryDialog*>("memoryDialog");
    const auto edit = [&](const char* key) { return dialog->findChild<QLineEdit*>(QString("card_") + key); };
    const auto verdict = [&](const char* key) { return dialog->findChild<QLabel*>(QString("verdict_") + key)->text(); };
    const auto type = [&](const char* key, const char* text) {
      edit(key)->clear();
      QTest::keyClicks(edit(key), text);
    };
    QTRY_COMPARE_WITH_TIMEOUT(edit("id")->text(), QString("0x7e4017"), kPatience);  // what answers is filled in
    QCOMPARE(verdict("id"), QString("✓ the part answers 0x7e4017"));
    auto* use = dialog->findChild<QPushButton*>("cardUse");
    type("size", "4M");
    QTRY_COMPARE_WITH_TIMEOUT(verdict("size"), QString("✗ reading goes on after it: the part is larger"), kPatience);
    type("size", "8M");
    QTRY_COMPARE_WITH_TIMEOUT(verdict("size"), QString("✓ reads wrap to 0 there"), kPatience);
    type("id", "0x7E4018");
    QCOMPARE(verdict("id"), QString("✗ the part answers 0x7e4017"));
    type("id", "0x7E4017");
    type("page", "300");
    QVERIFY(!use->isEnabled());
    QVERIFY(dialog->findChild<QLabel*>("cardWords")->text().contains("a page of 300 bytes cannot be"));
    type("page", "256");
    type("erase0", "4K 0x20");
    QVERIFY(verdict("erase0").contains("two times in milliseconds"));
    type("erase0", "4K 0x20 45 / 400");
    type("program", "0.4 / 3");
    type("name", "Quill by hand");
    QVERIFY(use->isEnabled());
    QTest::mouseClick(use, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(s.window.bench().identity() != nullptr, kPatience);
    QCOMPARE(s.window.bench().identity()->source, std::string("card"));
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QPushButton>("go")->text(), QString("Write 76 blocks of boot-flash"), kPatience);
    QVERIFY(s.window.bench().document().isModified());
  }

  void copiesAreListedAndPutBack() {
    Stage s;
    QVERIFY(s.untilPlanned());
    const Bytes before = s.cells(0, 0x500000);
    s.click("go");
    QVERIFY(s.untilDone());
    QVERIFY(s.cells(0, 0x500000) != before);
    s.find<QAction>("copiesAction")->trigger();
    auto* dialog = s.window.findChild<CopiesDialog*>("copiesDialog");
    auto* table = dialog->findChild<QTableWidget*>("copiesTable");
    QVERIFY(table->rowCount() >= 1);
    QVERIFY(!dialog->findChild<QPushButton*>("putBack")->isEnabled());
    table->setCurrentCell(0, 0);
    QTRY_VERIFY_WITH_TIMEOUT(dialog->findChild<QPushButton*>("putBack")->isEnabled(), kPatience);
    QTest::mouseClick(dialog->findChild<QPushButton*>("putBack"), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(s.window.bench().run().record() && s.cells(0, 0x500000) == before, kPatience);
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Verified);
  }

  void differencesAreListedJumpedToAndReported() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.find<QAction>("differencesAction")->trigger();
    auto* dialog = s.window.findChild<DifferencesDialog*>("differencesDialog");
    auto* table = dialog->findChild<QTableWidget*>("differencesTable");
    QVERIFY(table->rowCount() > 10);
    table->setCurrentCell(1, 0);
    const QString where = table->item(1, 0)->text();
    QVERIFY(where.startsWith(
        QString("0x%1").arg(s.window.bench().cursor().position(), 6, 16, QChar('0')).toUpper().replace('X', 'x')));
    const QString file = s.folder.filePath("report.txt");
    dialog->exportTo(file);
    const std::string report = readTextFile(file.toStdString());
    VERIFY_CONTAINS(report, "planned");
    VERIFY_CONTAINS(report, "0x064018");
  }

  void theWholeDeviceIsReadToAFile() {
    Stage s;
    QVERIFY(s.untilPlanned());
    const QString file = s.folder.filePath("part.bin");
    QTimer::singleShot(200, &s.window, [&] {
      auto* dialog = s.window.findChild<QDialog*>("readDialog");
      auto* range = dialog->findChild<QLineEdit*>("readRange");
      range->clear();
      QTest::keyClicks(range, "0x2000..0x1000");
      QVERIFY(!dialog->findChild<QPushButton*>("readNow")->isEnabled());
      range->clear();
      QTest::keyClicks(range, "0x3FF000+64K");
      dialog->findChild<QLineEdit*>("readFile")->setText(file);
      dialog->findChild<QCheckBox*>("readTwice")->setChecked(true);
      QTest::mouseClick(dialog->findChild<QPushButton*>("readNow"), Qt::LeftButton);
    });
    s.find<QAction>("readAction")->trigger();
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Read);
    QCOMPARE(readFile(file.toStdString()), s.cells(0x3FF000, 0x10000));
    QVERIFY(s.find<QLabel>("outcome")->text().contains("both reads are the same"));
  }

  void theBenchIsTried() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.find<QAction>("tryAction")->trigger();
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Sound);
    QVERIFY(s.find<QLabel>("outcome")->text().contains("passed the test on this bench"));
  }

  void aFileIsComparedForOnce() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.window.bench().tasks().compareWithFile(s.folder.filePath("release-1/gauge_cal.bin"), 0x6A0000);
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Match);
    s.window.bench().tasks().compareWithFile(s.folder.filePath("release-1/gauge_cal.bin"), 0x6A0001);
    QTRY_VERIFY_WITH_TIMEOUT(
        s.window.bench().run().record() && s.window.bench().run().record()->outcome == run::Outcome::Mismatch,
        kPatience);
  }
};
IMPRIMO_TEST(FlashWorkTest);
#include "tst_flash_work.moc"
