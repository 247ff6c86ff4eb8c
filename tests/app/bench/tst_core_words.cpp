// SPDX-License-Identifier: GPL-3.0-or-later
//
// Configuration words and the lock in the window: their page, and as part of a run.
#include <QLineEdit>
#include <QPushButton>

#include "app/bench/core_lock_card.h"
#include "app/bench/words_dialog.h"
#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "tests/app/float_stage.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class CoreWordsTest : public QObject {
  Q_OBJECT
 private slots:
  /// Fields with what they mean, the bits that change, and a warning before the probe is shut out.
  void configurationWordsAreWrittenByTheirPage() {
    FloatStage s;
    QVERIFY(s.connect());
    auto* action = s.window.findChild<QAction*>("wordsAction");
    QVERIFY(action->isVisible());
    action->trigger();
    auto* page = s.window.findChild<WordsDialog*>();
    const auto cards = page->findChildren<WordCard*>();
    QCOMPARE(cards.size(), 2);
    auto* write = page->findChild<QPushButton*>("wordsWrite");
    QVERIFY(QTest::qWaitFor([&] { return cards[0]->isEnabled(); }, kPatience));
    QCOMPARE(write->text(), QString("Nothing to write"));
    QVERIFY(!write->isEnabled());
    // Typed, by keyboard.
    const auto fields = cards[0]->findChildren<QComboBox*>("wordField");
    QCOMPARE(fields[0]->currentText(), QString("0x1  when the firmware starts it"));
    fields[1]->setFocus();
    fields[1]->lineEdit()->selectAll();
    QTest::keyClicks(fields[1]->lineEdit(), "3");
    QCOMPARE(cards[0]->findChild<QLineEdit*>("wordValue")->text(), QString("0xFFFFFF3F"));
    QVERIFY(cards[0]->findChild<QLabel*>("wordBits")->text().endsWith("7..6"));
    QCOMPARE(write->text(), QString("Write start"));
    QTest::keyClicks(fields[1]->lineEdit(), "z");
    QVERIFY(!write->isEnabled());
    QVERIFY(cards[0]->findChild<QLabel*>("wordWarning")->isVisible());
    QTest::keyClick(fields[1]->lineEdit(), Qt::Key_Backspace);
    // What locks the probe out is in the button; what does so permanently has to be confirmed.
    auto* access = cards[1]->findChild<QComboBox*>("wordField");
    access->setFocus();
    QTest::keyClick(access, Qt::Key_Down);
    QVERIFY2(access->currentText().startsWith("0x5A"), qPrintable(access->currentText()));
    QCOMPARE(write->text(), QString("Write start, access, and lock sensor"));
    QVERIFY(cards[1]->findChild<QLabel*>("wordWarning")->text().contains("closed until all is erased"));
    QTest::keyClick(access, Qt::Key_Down);
    QCOMPARE(write->text(), QString("Write start, access, and lock sensor permanently"));
    QVERIFY(!write->isEnabled());
    auto* meant = cards[1]->findChild<QCheckBox*>("wordPermanent");
    QTest::keyClick(meant, Qt::Key_Space);
    QVERIFY(write->isEnabled());
    QTest::keyClick(access, Qt::Key_Up);
    QTest::keyClick(access, Qt::Key_Up);
    QCOMPARE(write->text(), QString("Write start"));
    QTest::keyClick(write, Qt::Key_Space);
    QVERIFY(QTest::qWaitFor(
        [&] { return s.demo->with([](sim::Bench& b) { return b.board().chip().words()->start() == 0xFFFFFF3F; }); },
        kPatience));
    QVERIFY(QTest::qWaitFor([&] { return cards[0]->isEnabled() && !cards[0]->change(); }, kPatience));
    QVERIFY(cards[0]->findChild<QLabel*>("wordBefore")->text().startsWith("0xFFFFFF3F"));
    // As before, from the copy; and kept with the sheet.
    QTest::mouseClick(page->findChild<QToolButton*>("wordsCopy"), Qt::LeftButton);
    QCOMPARE(write->text(), QString("Write start"));
    QTest::mouseClick(page->findChild<QToolButton*>("wordsKeep"), Qt::LeftButton);
    QCOMPARE(s.window.bench().document().sheet().cores[0].words.size(), 1u);
    QCOMPARE(s.window.bench().document().sheet().cores[0].words[0].value, 0xFFFFFFFFu);
    QVERIFY2(s.demo->with([](sim::Bench& b) { return b.violations(); }).empty(), "violations");
  }

  /// A run of the sheet goes on with the words and the lock; both were said before.
  void theRunGoesOnWithWordsAndLock() {
    FloatStage s([](const QString& folder) {
      const std::string sheet = (folder + "/float-sensor.imprimo").toStdString();
      QString text = QString::fromStdString(readTextFile(sheet));
      text.replace("\"beck_k0_core.json\"",
                   "\"beck_k0_core.json\", \"lock\": true, \"words\": [{\"word\": \"start\", \"field\": \"board\", "
                   "\"value\": \"0x7\"}]");
      writeFileAtomically(sheet, text.toStdString());
    });
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    auto* behind = s.window.findChild<QLabel*>("behindTheRun");
    QVERIFY(behind->isVisible());
    QVERIFY2(behind->text().contains("start board = 0x7"), qPrintable(behind->text()));
    QVERIFY2(behind->text().contains("the configuration words and the RAM can no longer be read"),
             qPrintable(behind->text()));
    QTest::mouseClick(s.window.findChild<QPushButton*>("go"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor(
        [&] { return s.demo->with([](sim::Bench& b) { return b.board().chip().lock()->closed(); }); }, kPatience));
    QVERIFY(s.demo->with([](sim::Bench& b) {
      return b.board().chip().words()->start() == 0xFFFFFF7F && b.board().chip().flash()[0x3000] != 0xFF;
    }));
    QVERIFY(QTest::qWaitFor([&] { return s.window.findChild<CoreLockCard*>()->isVisible(); }, kPatience));
  }

  /// Its page locks it too, and asks once.
  void theLockAsksOnce() {
    FloatStage s;
    QVERIFY(s.connect());
    s.window.findChild<QAction*>("wordsAction")->trigger();
    auto* page = s.window.findChild<WordsDialog*>();
    auto* lock = page->findChild<QPushButton*>("coreLock");
    auto* sure = page->findChild<QPushButton*>("coreLockSure");
    QVERIFY(QTest::qWaitFor([&] { return lock->isEnabled(); }, kPatience));
    QVERIFY(!sure->isVisible());
    QTest::keyClick(lock, Qt::Key_Space);
    QVERIFY(sure->isVisible() && sure->text().contains("can no longer be read"));
    QTest::keyClick(page->findChild<QPushButton*>("coreLockNot"), Qt::Key_Space);
    QVERIFY(!sure->isVisible() && lock->isVisible());
    QTest::keyClick(lock, Qt::Key_Space);
    QTest::keyClick(sure, Qt::Key_Space);
    QVERIFY(QTest::qWaitFor(
        [&] { return s.demo->with([](sim::Bench& b) { return b.board().chip().lock()->closed(); }); }, kPatience));
  }
};

IMPRIMO_TEST(CoreWordsTest);
#include "tst_core_words.moc"
