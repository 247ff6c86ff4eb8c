// SPDX-License-Identifier: GPL-3.0-or-later
//
// The tour of the README by keys alone: after every key something that can be seen has the keys.
#include <QAccessible>
#include <QContextMenuEvent>
#include <QDialog>
#include <QLineEdit>
#include <QMenu>
#include <QPlainTextEdit>
#include <QSettings>
#include <QSignalSpy>
#include <QTreeWidget>

#include "app/bench/byte_zip.h"
#include "app/bench/sector_map.h"
#include "app/images/image_bytes.h"
#include "app/look/spoken.h"
#include "app/rail/chain_rail.h"
#include "core/base/number.h"
#include "core/discover/board_sheet.h"
#include "tests/app/keyboard.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class KeyboardTest : public QObject, Keyboard {
  Q_OBJECT

 private slots:
  void theTour() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    Workbench& bench = s.window.bench();
    // The rail, then the map, the bytes, what goes in, what will happen.
    press(Qt::Key_F6);
    for (int i = 0; i < 8 && nameOf(keysAt()) != "chainRail"; ++i) press(Qt::Key_F6);
    QCOMPARE(nameOf(keysAt()), QString("chainRail"));
    for (int i = 0; i < 8; ++i) press(Qt::Key_Up);
    for (int i = 0; i < 8 && bench.memory() != "boot-flash"; ++i) press(Qt::Key_Down);
    for (int i = 0; i < 8; ++i) press(Qt::Key_Up);
    while (bench.atDevice() || bench.memory() != "boot-flash") press(Qt::Key_Down);
    press(Qt::Key_F6);
    QCOMPARE(nameOf(keysAt()), QString("sectorMap"));
    for (const int key : {Qt::Key_PageDown, Qt::Key_PageUp, Qt::Key_Right, Qt::Key_Down, Qt::Key_Home}) press(key);
    press(Qt::Key_F3);
    QCOMPARE(nameOf(keysAt()), QString("byteZip"));
    const std::uint64_t at = bench.cursor().position();
    QVERIFY(bench.looks().planned().at(at) != bench.looks().contents().at(at));
    // An address, bytes, a bookmark.
    press(Qt::Key_G, Qt::ControlModifier);
    type("0x7E0000");
    press(Qt::Key_Return);
    QCOMPARE(bench.cursor().position(), std::uint64_t{0x7E0000});
    press(Qt::Key_F, Qt::ControlModifier);
    QCOMPARE(nameOf(keysAt()), QString("find"));
    press(Qt::Key_Escape);
    QVERIFY(!s.find<QLineEdit>("find")->isVisible());
    QCOMPARE(nameOf(keysAt()), QString("byteZip"));
    // A byte is planned, and taken back.
    type("5a");
    QCOMPARE(bench.looks().planned().at(0x7E0000), 0x5A);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Y, Qt::ControlModifier);
    QCOMPARE(bench.looks().planned().at(0x7E0000), 0x5A);
    press(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(!bench.keeping().isUnsaved());
    // What is marked is kept.
    press(Qt::Key_F6, Qt::ShiftModifier);
    press(Qt::Key_Right, Qt::ShiftModifier);
    const std::size_t kept = bench.document().sheet().keep.size();
    press(Qt::Key_E, Qt::ControlModifier);
    QVERIFY2(bench.document().sheet().keep.size() == kept + 1,
             qPrintable(nameOf(keysAt()) + ": " + s.window.findChild<LogStrip*>()->text().right(300)));
    press(Qt::Key_Z, Qt::ControlModifier);
    // The run, and what is behind it.
    QTRY_VERIFY_WITH_TIMEOUT(bench.goAction->isEnabled() && bench.run().plan() && bench.run().plan()->complete,
                             kPatience);
    const QString before = nameOf(keysAt());
    press(Qt::Key_Return, Qt::ControlModifier);
    QVERIFY(s.untilDone());
    QVERIFY2(bench.run().record()->good(), bench.run().record()->message.c_str());
    QTest::qWait(50);
    QCOMPARE(nameOf(keysAt()), before);
    QVERIFY(pressed > 40);
  }

  /// Whatever is changed in a list, the keys stay beside it.
  void editingKeepsTheKeys() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    Workbench& bench = s.window.bench();
    const auto first = [&](const char* name) { return s.find<QWidget>(name); };
    const std::size_t files = bench.document().sheet().placements.size();
    QVERIFY(files >= 2);
    first("pieceBits")->setFocus();
    for (int i = 0; i < 3; ++i) {
      press(Qt::Key_Space);
      QCOMPARE(keysAt(), first("pieceBits"));
    }
    press(Qt::Key_Z, Qt::ControlModifier);
    first("pieceAddress")->setFocus();
    qobject_cast<QLineEdit*>(keysAt())->selectAll();
    type("0x100000");
    press(Qt::Key_Return);
    QCOMPARE(nameOf(keysAt()), QString("pieceAddress"));
    QTest::qWait(100);
    QCOMPARE(nameOf(keysAt()), QString("pieceAddress"));
    press(Qt::Key_Z, Qt::ControlModifier);
    QTest::qWait(50);
    // Down, and again: it is the same file that goes on.
    const std::string file = bench.document().sheet().placements.front().file;
    first("pieceDown")->setFocus();
    press(Qt::Key_Space);
    QTest::qWait(50);
    QCOMPARE(bench.document().sheet().placements[1].file, file);
    QVERIFY(nameOf(keysAt()).startsWith("piece"));
    press(Qt::Key_Z, Qt::ControlModifier);
    QTest::qWait(50);
    // Taken out one after another, and the keys are on the next, at last on what adds one.
    first("removePiece")->setFocus();
    const auto inMemory = [&] {
      return std::count_if(bench.document().sheet().placements.begin(), bench.document().sheet().placements.end(),
                           [&](const Placement& p) { return p.memory == bench.memory(); });
    };
    while (inMemory() > 0) {
      QCOMPARE(nameOf(keysAt()), QString("removePiece"));
      press(Qt::Key_Space);
      QTest::qWait(50);
    }
    QCOMPARE(nameOf(keysAt()), QString("addFile"));
  }

  void theWindowsOwnKeys() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    // All views, by Ctrl+Tab.
    QStringList views;
    for (int i = 0; i < 7; ++i) {
      for (QAction* action : s.window.actions()) {
        if (action->isCheckable() && action->isChecked() && action->objectName().endsWith("Tab"))
          views += action->objectName();
      }
      press(Qt::Key_Tab, Qt::ControlModifier);
    }
    QCOMPARE(views.size(), 7);
    QCOMPARE(views.removeDuplicates(), 0);
    QCOMPARE(s.window.findChild<QAction*>("benchTab")->isChecked(), true);
    // A page is closed by Ctrl+W.
    press(Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(s.window.findChild<QAction*>("sheetTab")->isChecked());
    press(Qt::Key_W, Qt::ControlModifier);
    QVERIFY(s.window.findChild<QAction*>("benchTab")->isChecked());
    QVERIFY(s.window.isVisible());
    // The menu.
    bool open = false;
    QTimer::singleShot(200, this, [&] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      open = menu != nullptr;
      if (!open) return;
      QTest::keyClick(menu, Qt::Key_Down);
      open = menu->activeAction() != nullptr;
      QTest::keyClick(menu, Qt::Key_Escape);
    });
    QTest::keyClick(keysAt(), Qt::Key_F10);
    QTRY_VERIFY_WITH_TIMEOUT(open, kPatience);
    // What can be done with what the keys are on.
    for (const char* each : {"sectorMap", "byteZip"}) {
      auto* view = s.find<QWidget>(each);
      view->setFocus();
      QContextMenuEvent asked(QContextMenuEvent::Keyboard, view->rect().center(),
                              view->mapToGlobal(view->rect().center()));
      QApplication::sendEvent(view, &asked);
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      QVERIFY2(menu != nullptr && menu->actions().size() > 5, each);
      QTest::keyClick(menu, Qt::Key_Escape);
      QVERIFY(QApplication::activePopupWidget() == nullptr);
      QCOMPARE(nameOf(keysAt()), QString(each));
    }
    // One of two, by arrow keys.
    s.find<QWidget>("writeIntent")->setFocus();
    press(Qt::Key_Right);
    QCOMPARE(nameOf(keysAt()), QString("eraseIntent"));
    QCOMPARE(s.window.bench().choice().intent(), Intent::Erase);
    QCOMPARE(QAccessible::queryAccessibleInterface(keysAt())->role(), QAccessible::RadioButton);
    press(Qt::Key_Left);
    QCOMPARE(s.window.bench().choice().intent(), Intent::Write);
    // The log, there and away.
    press(Qt::Key_L, Qt::ControlModifier);
    auto* log = s.find<QPlainTextEdit>("log");
    QVERIFY(log->isVisible());
    log->setFocus();
    press(Qt::Key_Escape);
    QVERIFY(!log->isVisible());
    // All keys there are, and the guide.
    press(Qt::Key_F1);
    auto* dialog = s.window.findChild<QDialog*>("keysDialog");
    QVERIFY(dialog != nullptr && dialog->isVisible());
    QApplication::setActiveWindow(dialog);
    auto* keys = dialog->findChild<QTreeWidget*>("keysList");
    type("bookmark");
    int shown = 0;
    for (int i = 0; i < keys->topLevelItemCount(); ++i) {
      for (int k = 0; k < keys->topLevelItem(i)->childCount(); ++k)
        shown += keys->topLevelItem(i)->child(k)->isHidden() ? 0 : 1;
    }
    QVERIFY(shown >= 2 && shown < 10);
    QVERIFY(dialog->findChild<QTextEdit*>("guide")->toPlainText().contains("First job"));
    QTest::keyClick(keysAt(), Qt::Key_Escape);
    QTRY_VERIFY_WITH_TIMEOUT(s.window.findChild<QDialog*>("keysDialog") == nullptr, kPatience);
  }

  /// An address of the image and bytes in it are found without a mouse.
  void theImageByKeys() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    press(Qt::Key_2, Qt::ControlModifier);
    press(Qt::Key_G, Qt::ControlModifier);
    QCOMPARE(nameOf(keysAt()), QString("imagePosition"));
    type("0x200000");
    press(Qt::Key_Return);
    QCOMPARE(nameOf(keysAt()), QString("imageBytes"));
    auto* bytes = s.find<ImageBytes>("imageBytes");
    QVERIFY(bytes->visible().contains(0x200000));
    press(Qt::Key_F, Qt::ControlModifier);
    QCOMPARE(nameOf(keysAt()), QString("imageFind"));
    type("zzzzzz nowhere");
    press(Qt::Key_Return);
    press(Qt::Key_Escape);
    QCOMPARE(nameOf(keysAt()), QString("imageBytes"));
    for (int i = 0; i < 6; ++i) press(Qt::Key_F6);
  }

  /// A file is chosen with what completes its name still open, and the window has the keys again.
  void aFileDialogGivesTheKeysBack() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    for (int time = 0; time < 3; ++time) {
      const std::size_t before = s.window.bench().document().sheet().placements.size();
      const QString file = s.folder.filePath(QString("note-%1.bin").arg(time));
      QFile note(file);
      QVERIFY(note.open(QIODevice::WriteOnly) && note.write("note") == 4);
      note.close();
      auto* add = s.find<QWidget>("addFile");
      add->setFocus();
      // As soon as the dialog is there, and again as long as it is.
      QTimer hand;
      connect(&hand, &QTimer::timeout, this, [&] {
        QWidget* dialog = QApplication::activeModalWidget();
        auto* line = dialog == nullptr ? nullptr : dialog->findChild<QLineEdit*>();
        if (line == nullptr) return;
        line->setFocus();
        if (line->text() != file) QTest::keyClicks(line, file);
        QTest::qWait(100);
        if (dialog == QApplication::activeModalWidget()) QTest::keyClick(line, Qt::Key_Return);
      });
      hand.start(300);
      QTest::keyClick(add, Qt::Key_Space);
      hand.stop();
      QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().document().sheet().placements.size(), before + 1, kPatience);
      QApplication::setActiveWindow(&s.window);
      QTRY_VERIFY_WITH_TIMEOUT(keysAt() != nullptr && keysAt()->isVisible(), kPatience);
      QCOMPARE(nameOf(keysAt()), QString("addFile"));
    }
  }

  /// What was wrong with what was typed is said until it is put right; other trouble stays.
  void whatWasTypedWrongGoesWhenItIsRight() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    auto* last = s.find<QLabel>("lastMessage");
    auto* more = s.find<QLineEdit>("keepMore");
    more->setFocus();
    type("nonsense");
    press(Qt::Key_Return);
    QVERIFY(last->text().contains("is no range"));
    for (const char* range : {"0x700000 - 0x700FFF", "0x701000\u20130x701FFF", "0x702000..0x702FFF"}) {
      more->setText(QString::fromUtf8(range));
      const std::size_t before = s.window.bench().document().sheet().keep.size();
      press(Qt::Key_Return);
      QCOMPARE(s.window.bench().document().sheet().keep.size(), before + 1);
      QVERIFY(!last->text().contains("is no range"));
      QTest::qWait(20);
      QCOMPARE(nameOf(keysAt()), QString("keepMore"));
    }
    emit s.window.bench().message("the probe is gone", true);
    emit s.window.bench().inputMended();
    QVERIFY(last->text().contains("probe is gone"));
  }

  /// A bench that goes away while nobody asks anything is noticed.
  void aBenchThatGoesAwayIsNoticed() {
    Stage s;
    QVERIFY(s.untilPlanned());
    // Until nobody asks anything but whether it is there: that is little, and comes now and then.
    const auto packets = [&] { return s.demo->with([](sim::Bench& b) { return b.packets(); }); };
    QVERIFY(QTest::qWaitFor(
        [&] {
          const std::uint64_t before = packets();
          QTest::qWait(400);
          return packets() == before;
        },
        kPatience));
    QSignalSpy read(&s.window.bench().session(), &BenchSession::contentsChanged);
    s.demo->with([](sim::Bench& b) { b.dropLinkAtPacket(b.packets()); });
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().link().state(), LinkState::NotConnected, kPatience);
    QCOMPARE(read.size(), 0);
  }

  /// What is half typed in a row that goes is nobody's: not the file's that has its place then.
  void whatGoesHasNoLastWord() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    const auto& placements = s.window.bench().document().sheet().placements;
    QVERIFY(placements.size() >= 3);
    const auto second = placements[1], third = placements[2];
    auto* address = s.find<QLineEdit>("pieceAddress");
    address->setFocus();
    address->selectAll();
    type("0x123000");
    QTest::mouseClick(s.find<QAbstractButton>("removePiece"), Qt::LeftButton);
    QTest::qWait(50);
    QCOMPARE(placements.size(), std::size_t{2});
    QVERIFY(placements[0] == second && placements[1] == third);
    const auto& keep = s.window.bench().document().sheet().keep;
    s.window.bench().tasks().keepRange(AddressRange{0x700000, 0x701000});
    QTest::qWait(50);
    QCOMPARE(keep.size(), std::size_t{2});
    auto* range = s.find<QLineEdit>("keptRange");
    range->setFocus();
    range->selectAll();
    type("0x100..0x1FF");
    QTest::mouseClick(s.find<QAbstractButton>("removeKept"), Qt::LeftButton);
    QTest::qWait(50);
    QCOMPARE(keep.size(), std::size_t{1});
    QVERIFY(keep.front().range == (AddressRange{0x700000, 0x701000}));
    // Another sheet, while the rows are still those of this one.
    s.window.bench().document().start(sheet::parseSheet(sheet::sheetTextFor("New board", {}), ""));
    emit s.window.bench().runChanged();
    QTest::qWait(50);
  }

  /// Before the first change a sheet can be saved elsewhere, and what is connected can be let go.
  void whatOnlyTheMouseCouldDo() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    QVERIFY(s.window.findChild<QAction*>("saveAs")->isEnabled());
    press(Qt::Key_F5, Qt::ShiftModifier);
    QTRY_COMPARE_WITH_TIMEOUT(s.window.bench().link().state(), LinkState::NotConnected, kPatience);
    // A bookmark goes at the place that it is of.
    const auto& bookmarks = s.window.bench().document().sheet().bookmarks;
    const std::size_t count = bookmarks.size();
    QVERIFY(count > 0 && bookmarks.front().memory == s.window.bench().memory());
    s.window.bench().cursor().jumpTo(bookmarks.front().at);
    press(Qt::Key_B, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(s.window.bench().document().sheet().bookmarks.size(), count - 1);
  }
};

IMPRIMO_TEST(KeyboardTest);
#include "tst_keyboard.moc"
