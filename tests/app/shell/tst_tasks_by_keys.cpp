// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the README tells of besides its tour, by keys alone: after every key something that can be seen has the keys.
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QTreeView>

#include "app/model/workbench.h"
#include "app/rail/chain_rail.h"
#include "tests/app/keyboard.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class TasksByKeysTest : public QObject, Keyboard {
  Q_OBJECT

  void settle() {
    QTest::qWait(50);
    QVERIFY2(keysAt() != nullptr && keysAt()->isVisible(), qPrintable(nameOf(keysAt())));
  }

 private slots:
  void init() { pressed = 0; }

  void aRangeIsErased() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    Workbench& bench = s.window.bench();
    paneOf("sectorMap");
    tabTo("writeIntent");
    press(Qt::Key_Right);
    QCOMPARE(bench.choice().intent(), Intent::Erase);
    tabTo("eraseRange");
    type("0x6A0000 - 0x6A0FFF");
    press(Qt::Key_Return);
    QTRY_COMPARE_WITH_TIMEOUT(bench.choice().eraseRanges().size(), std::size_t{1}, kPatience);
    QVERIFY(s.untilPlanned());
    QTRY_VERIFY_WITH_TIMEOUT(bench.goAction->isEnabled(), kPatience);
    press(Qt::Key_Return, Qt::ControlModifier);
    QVERIFY(s.untilDone());
    QVERIFY2(bench.run().record()->good(), bench.run().record()->message.c_str());
    settle();
    QCOMPARE(s.cells(0x6A0000, 4), Bytes(4, 0xFF));
    // Another one with a wrong address says so, and can be mended where it stands.
    tabTo("eraseRange");
    type("0x700000..0x6");
    press(Qt::Key_Return);
    QCOMPARE(nameOf(keysAt()), QString("eraseRange"));
    tabTo("removeErase");
    press(Qt::Key_Space);
    settle();
    QVERIFY(bench.choice().eraseRanges().empty());
    QVERIFY(pressed > 10);
  }

  void aSheetIsMade() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    press(Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
    for (int i = 0; i < 6; ++i) press(Qt::Key_Down);
    press(Qt::Key_Tab);
    press(Qt::Key_Tab, Qt::ShiftModifier);
    press(Qt::Key_W, Qt::ControlModifier);
    // The rail: a name, and back.
    paneOf("chainRail");
    press(Qt::Key_Up);
    auto* rail = s.find<ChainRail>("chainRail");
    QVERIFY(rail->hasFocus());
    press(Qt::Key_F2);
    QCOMPARE(nameOf(keysAt()), QString("railEdit"));
    press(Qt::Key_Escape);
    QCOMPARE(nameOf(keysAt()), QString("chainRail"));
    // The library, and what is found in it.
    press(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    tabTo("librarySearch");
    type("card");
    for (int i = 0; i < 4; ++i) press(Qt::Key_Tab);
    press(Qt::Key_W, Qt::ControlModifier);
    settle();
  }

  void pinsAreLookedAtAndDriven() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    press(Qt::Key_4, Qt::ControlModifier);
    auto* list = s.find<QListView>("pinsList");
    QTRY_VERIFY_WITH_TIMEOUT(list->model()->rowCount() > 4, kPatience);
    paneOf("pinsList");
    for (int i = 0; i < 3; ++i) press(Qt::Key_Down);
    press(Qt::Key_F, Qt::ControlModifier);
    QCOMPARE(nameOf(keysAt()), QString("pinsFilter"));
    type("led");
    for (int i = 0; i < 3; ++i) press(Qt::Key_Backspace);
    for (int i = 0; i < 20; ++i) press(Qt::Key_Tab);
    press(Qt::Key_Escape);
    settle();
  }

  void vectorsArePlayedAndSearched() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    press(Qt::Key_3, Qt::ControlModifier);
    paneOf("openVectorsButton");
    tabTo("previewVectorsButton");
    press(Qt::Key_Space);
    auto* list = s.find<QWidget>("vectorList");
    QTRY_VERIFY_WITH_TIMEOUT(list->isVisible(), kPatience);
    settle();
    paneOf("vectorList");
    for (const int key : {Qt::Key_Down, Qt::Key_PageDown, Qt::Key_End, Qt::Key_Home, Qt::Key_Right}) press(key);
    press(Qt::Key_D, Qt::ControlModifier);
    press(Qt::Key_End);
    press(Qt::Key_F2);
    press(Qt::Key_F, Qt::ControlModifier);
    QCOMPARE(nameOf(keysAt()), QString("vectorsFind"));
    type("SDR");
    press(Qt::Key_Return);
    settle();
    for (int i = 0; i < 12; ++i) press(Qt::Key_Tab);
  }

  void consoleAndRecordsAreGoneThrough() {
    Stage s;
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    press(Qt::Key_Return, Qt::ControlModifier);
    QVERIFY(s.untilDone());
    settle();
    press(Qt::Key_5, Qt::ControlModifier);
    for (int i = 0; i < 12; ++i) press(Qt::Key_Tab);
    press(Qt::Key_P, Qt::ControlModifier);
    press(Qt::Key_P, Qt::ControlModifier);
    press(Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
    press(Qt::Key_1, Qt::ControlModifier);
    for (int i = 0; i < 8; ++i) press(Qt::Key_F6);
    press(Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
    press(Qt::Key_7, Qt::ControlModifier);
    auto* list = s.find<QAbstractItemView>("recordList");
    QTRY_VERIFY_WITH_TIMEOUT(list->model()->rowCount() > 0, kPatience);
    paneOf("recordList");
    for (const int key : {Qt::Key_Down, Qt::Key_Up, Qt::Key_Return}) press(key);
    for (int i = 0; i < 12; ++i) press(Qt::Key_Tab);
    press(Qt::Key_6, Qt::ControlModifier);
    for (int i = 0; i < 12; ++i) press(Qt::Key_Tab);
    settle();
  }
};

IMPRIMO_TEST(TasksByKeysTest);
#include "tst_tasks_by_keys.moc"
