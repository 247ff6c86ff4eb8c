// SPDX-License-Identifier: GPL-3.0-or-later
//
// Parts that are configured from the window, driven as a user would.
#include "app/device/bit_field.h"
#include "app/device/card_trial.h"
#include "app/device/status_bits.h"
#include "app/rail/chain_rail.h"

#include <QCheckBox>
#include <QDragEnterEvent>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QToolButton>
#include <QTreeWidget>

#include "tests/app/heard_text.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {

struct DeviceStage : Stage {
  explicit DeviceStage(const std::function<void(QString&)>& changeBench = {}, bool realTime = false,
                       const std::function<void(QString&)>& changeSheet = {})
      : Stage(changeBench, false, realTime, changeSheet) {
    window.bench().link().connectTo(QString::fromStdString(demo->address()));
    QVERIFY(QTest::qWaitFor([&] { return window.bench().link().state() == LinkState::Connected; }, kPatience));
  }
  ChainRail* rail() { return find<ChainRail>("chainRail"); }
  QPoint placeOf(const char* title) {
    for (const RailItem& item : rail()->layoutOfRail().items) {
      if (item.title == title) return item.rect.center();
    }
    return {};
  }
  void drop(const char* title, const QString& file) {
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(folder.filePath(file))});
    const QPoint at = placeOf(title);
    QDragEnterEvent enter(at, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(rail(), &enter);
    QVERIFY(enter.isAccepted());
    QDragMoveEvent move(at, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(rail(), &move);
    QDropEvent drop(at, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(rail(), &drop);
    QApplication::processEvents();
  }
  std::string state(std::size_t position) {
    return demo->with([&](sim::Bench& b) { return b.board().device(position - 1).logic()->state(b.board().now()); });
  }
  std::string violations() {
    return demo->with([](sim::Bench& b) { return b.violations(); });
  }
  /// Opens the menu of actions as a click does, and takes one.
  void chooseAction(const QString& words) {
    QApplication::processEvents();
    for (QAction* action : find<QToolButton>("deviceAction")->menu()->actions()) {
      if (action->text() == words) action->trigger();
    }
    QApplication::processEvents();
  }
};

}  // namespace

class DevicesTest : public QObject {
  Q_OBJECT
 private slots:
  void aBitstreamDroppedOnAnFpgaConfiguresIt() {
    DeviceStage s;
    s.drop("correlator", "echo_correlator.bin");
    QVERIFY(s.window.bench().atDevice());
    QCOMPARE(s.find<QLabel>("deviceFileName")->text(), QString("echo_correlator.bin"));
    // What will happen is said before.
    QCOMPARE(s.window.bench().run().plan()->steps.size(), 8u);
    VERIFY_CONTAINS(s.window.bench().run().plan()->steps[3].title, "Shift the file into FAB_LOAD");
    QCOMPARE(s.find<QPushButton>("go")->text(), QString("Configure correlator"));
    QVERIFY(s.find<QLabel>("deviceCaption")->text().contains("9.46 Mbit") &&
            s.find<QLabel>("deviceCaption")->text().contains("0x52320002"));
    s.click("go");
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Configured);
    COMPARE_TEXT(s.state(2), "runs 0x52320002 from the TAP");
    QCOMPARE(s.find<QLabel>("deviceRuns")->text(), QString("● A design runs"));
    QCOMPARE(s.find<QLabel>("deviceUsercode")->text(), QString("user code 0x52320002"));
    QVERIFY(heardText(s.find<StatusBits>("statusBits")).contains("running: set"));
    QVERIFY(heardText(s.find<BitField>("bitField")).endsWith("Result: confirmed"));
    QVERIFY(s.window.bench().document().isModified());
    COMPARE_TEXT(s.violations(), "");
  }

  void aFileDroppedOnAMemoryGoesIntoTheMemory() {
    DeviceStage s;
    const std::size_t before = s.window.bench().document().sheet().placements.size();
    s.drop("boot-flash", "supervisor.elf");
    QVERIFY(!s.window.bench().atDevice());
    QCOMPARE(s.window.bench().document().sheet().placements.size(), before + 1);
  }

  void theBridgeIsLoadedWhenTheUserSaysSo() {
    DeviceStage s;
    QVERIFY(s.window.bench().neededBridge() && s.window.bench().looks().empty());
    QVERIFY(s.find<QLabel>("bridgeWords")->text().contains("The design that runs in correlator stops then."));
    COMPARE_TEXT(s.demo->with([](sim::Bench& b) { return b.flash("boot-flash").journal(); }), "");
    s.click("loadBridge");
    QVERIFY(s.untilPlanned());
    VERIFY_CONTAINS(s.state(2), ", a bridge");
    QVERIFY(!s.window.bench().neededBridge());
    QCOMPARE(s.find<QPushButton>("go")->text(), QString("Write 76 blocks of boot-flash"));
    s.click("go");
    QVERIFY(s.untilDone());
    QVERIFY(
        s.find<QLabel>("outcome")->text().contains("correlator came up with the new design (user code 0x52320002)"));
    // The part runs its own design again: what is known stays on the map, and reading on would need the bridge.
    QVERIFY(s.window.bench().neededBridge() && s.window.bench().looks().differingBlocks() == 0);
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QPushButton>("go")->text(), QString("Confirm boot-flash"), kPatience);
    s.click("bridgeAgain");
    QTRY_VERIFY_WITH_TIMEOUT(!s.window.bench().neededBridge() && !s.window.bench().run().isRunning(), kPatience);
    VERIFY_CONTAINS(s.state(2), ", a bridge");
    COMPARE_TEXT(s.violations(), "");
  }

  void theSequencerIsDrivenByItsActions() {
    DeviceStage s;
    QTest::mouseClick(s.rail(), Qt::LeftButton, Qt::NoModifier, s.placeOf("sequencer"));
    QApplication::processEvents();
    QVERIFY(s.window.bench().atDevice());
    QCOMPARE(s.find<QPushButton>("go")->text(), QString("Program sequencer"));
    QCOMPARE(s.find<BitField>("bitField")->grid().bitsPerCell, 1u);
    QCOMPARE(s.find<BitField>("bitField")->grid().rows, 96);
    const auto go = [&](const QString& text, run::Outcome outcome) {
      QCOMPARE(s.find<QPushButton>("go")->text(), text);
      s.click("go");
      QVERIFY(QTest::qWaitFor([&] { return s.window.bench().run().record() && !s.window.bench().run().isRunning(); },
                              kPatience));
      QVERIFY2(s.window.bench().run().record()->outcome == outcome,
               qPrintable(QString::fromStdString(s.window.bench().run().record()->message)));
    };
    go("Program sequencer", run::Outcome::Verified);
    COMPARE_TEXT(s.state(1), "programmed, user code 0x5e0a0002");
    s.chooseAction("Verify");
    go("Compare sequencer with the file", run::Outcome::Match);
    s.chooseAction("Erase");
    go("Erase sequencer", run::Outcome::Erased);
    s.chooseAction("Program");
    QApplication::processEvents();
    // The user code that the file has is ticked by itself; it can be left out, and another can be typed.
    auto* code = s.find<QCheckBox>("choice_proc_program_usercode");
    QVERIFY(code->isChecked());
    auto* edit = s.find<QLineEdit>("deviceUsercodeEdit");
    edit->setFocus();
    QTest::keyClicks(edit, "0xABCD0001");
    QTest::keyClick(edit, Qt::Key_Return);
    QApplication::processEvents();
    s.find<QCheckBox>("choice_proc_secure")->click();
    QApplication::processEvents();
    go("Program sequencer", run::Outcome::Verified);
    COMPARE_TEXT(s.state(1), "programmed, user code 0xabcd0001, secured");
    s.chooseAction("Read");
    QVERIFY(!s.window.bench().run().canGo());  // it is not said where to
    COMPARE_TEXT(s.violations(), "");
  }

  void aStopSaysWhatTheDeviceIsNow() {
    DeviceStage s({}, true);
    s.drop("correlator", "echo_correlator.bin");
    s.click("go");
    QVERIFY(QTest::qWaitFor(
        [&] { return s.window.bench().run().steps().size() > 3 && s.window.bench().run().steps()[3].done > 500'000; },
        kPatience));
    QCOMPARE(s.find<QPushButton>("go")->text(), QString("Stop"));
    QTest::keyClick(&s.window, Qt::Key_Return, Qt::ControlModifier);
    QVERIFY(s.untilDone());
    QCOMPARE(s.window.bench().run().record()->outcome, run::Outcome::Stopped);
    QVERIFY(s.find<QLabel>("outcome")->text().contains("no design that runs"));
    QVERIFY(heardText(s.find<BitField>("bitField")).endsWith("did not finish"));
    QVERIFY(s.window.bench().restartAction->isEnabled());
    s.window.bench().restartAction->trigger();
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QLabel>("deviceRuns")->text(), QString("● A design runs"), kPatience);
    COMPARE_TEXT(s.state(2), "runs 0x52320001 from flash");
  }

  void aFileForAnotherPartIsToldInsteadOfAPlan() {
    DeviceStage s;
    s.drop("correlator", "sequencer.jed");
    QVERIFY(!s.window.bench().run().canGo());
    QVERIFY(s.window.bench().run().problem().contains("is a fuse file"));
    s.click("removeDeviceFile");
    QApplication::processEvents();
    QVERIFY(s.window.bench().run().problem().contains("Add a file"));
    // A part that nothing describes says what would help.
    QTest::mouseClick(s.rail(), Qt::LeftButton, Qt::NoModifier, s.placeOf("supervisor"));
    QVERIFY(s.window.bench().run().problem().contains("Nothing says how supervisor is configured"));
    QTest::keyClick(s.rail(), Qt::Key_Up);
    QVERIFY(!s.window.bench().atDevice());
  }

  void aCardIsTriedStepByStepAndUsed() {
    DeviceStage s({}, false, [](QString& sheet) {
      sheet.replace(QRegularExpression(R"(,\s*"configure": "parts/tarn_configure.json")"), QString());
    });
    s.drop("correlator", "cores/tarn_t40_bridge.bin");
    QVERIFY(s.window.bench().run().problem().contains("Nothing says how correlator is configured"));
    s.click("openConfigCard");
    auto* trial = s.window.findChild<CardTrial*>("cardTrial");
    QVERIFY(trial != nullptr);
    auto* text = trial->findChild<QPlainTextEdit*>("cardText");
    auto* list = trial->findChild<QTreeWidget*>("cardSteps");
    auto* step = trial->findChild<QPushButton*>("tryStep");
    auto* problem = trial->findChild<QLabel*>("cardProblem");
    QVERIFY(text->toPlainText().contains("\"part\": \"TARN_T40\""));
    text->setPlainText("{");
    QVERIFY(!step->isEnabled() && !trial->findChild<QPushButton*>("cardSave")->isEnabled());
    // As somebody writes it who forgot some clocks.
    QString card = QString::fromStdString(readTextFile(s.folder.filePath("parts/tarn_configure.json").toStdString()));
    text->setPlainText(QString(card).replace("\"clocks\": 32", "\"clocks\": 4"));
    QCOMPARE(list->topLevelItemCount(), 6);
    const auto tried = [&](int row) {
      step->click();
      return QTest::qWaitFor([&] { return list->topLevelItem(row)->text(0) == QString("✓"); }, kPatience);
    };
    for (int row = 0; row < 3; ++row)
      QVERIFY2(tried(row), qPrintable(QString("%1 %2 %3").arg(row).arg(step->isEnabled()).arg(problem->text())));
    QCOMPARE(list->topLevelItem(2)->text(3), QString("synced 0 → 1, loaded 0 → 1"));
    trial->findChild<QPushButton*>("tryAll")->click();
    QTRY_COMPARE_WITH_TIMEOUT(list->topLevelItem(5)->text(0), QString("!"), kPatience);
    QVERIFY(problem->text().startsWith("Step 6: correlator: should be running = 1, and is running = 0 after"));
    text->setPlainText(card);
    trial->findChild<QPushButton*>("tryAll")->click();
    QTRY_COMPARE_WITH_TIMEOUT(list->topLevelItem(5)->text(0), QString("✓"), kPatience);
    QCOMPARE(list->topLevelItem(4)->text(3), QString("clear 1 → 0, running 0 → 1"));
    VERIFY_CONTAINS(s.state(2), "a bridge");
    // A step that would take for ever is ended by Stop.
    text->setPlainText(QString(card).replace("{\"until\": {\"clear\": 1, \"clearing\": 0}, \"at_most\": 0.1}",
                                             "{\"until\": {\"locked\": 1}, \"at_most\": 600}"));
    QVERIFY(tried(0));
    step->click();
    trial->findChild<QPushButton*>("startOver")->click();
    QCOMPARE(list->topLevelItem(1)->text(0), QString("2"));
    COMPARE_TEXT(s.violations(), "");
    trial->close();
  }

  void cellsOfABitFieldAreFoundUnderTheMouse() {
    for (const std::uint64_t bits : {1ull, 63ull, 12'288ull, 9'458'176ull}) {
      for (const std::uint64_t row : {0ull, 128ull}) {
        const BitFieldGrid g = BitFieldGrid::fit(QRect(12, 12, 660, 460), bits, row);
        QVERIFY(g.endBit(g.cells() - 1) == bits && g.firstBit(0) == 0);
        for (int i = 0; i < g.cells(); i += 1 + g.cells() / 500) QCOMPARE(g.at(g.rectOf(i).center()), std::optional{i});
        QVERIFY(g.rectOf(g.cells() - 1).bottom() <= 12 + 460);
        QVERIFY(!g.at({11, 40}) && !g.at({5000, 40}));
      }
    }
  }
};
IMPRIMO_TEST(DevicesTest);
#include "tst_devices.moc"
