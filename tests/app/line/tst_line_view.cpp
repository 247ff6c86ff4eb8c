// SPDX-License-Identifier: GPL-3.0-or-later
//
// The line in the window: what is seen from three metres, what a foot switch does, and that nobody gets out of it
// without the passphrase.
#include <QSignalSpy>

#include "app/line/passphrase_dialog.h"
#include "app/line/release_dialog.h"
#include "tests/app/line/line_stage.h"
#include "tests/app/stage.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using Kind = LineAnswer::Kind;

namespace {

sim::FixtureModel patient() {
  sim::FixtureModel boards;
  boards.rest = 1e9;  // nobody takes a board out
  return boards;
}

const char* const kCodeField =
    ", {\"name\": \"code\", \"memory\": \"boot-flash\", \"at\": \"0x7E0040\", \"bytes\": 8, \"as\": \"text\", "
    "\"from\": {\"given\": true, \"pattern\": \"[A-Z]{2}[0-9]{4}\"}}";

PassphraseDialog* dialogOf(MainWindow& window) {
  PassphraseDialog* dialog = nullptr;
  if (!QTest::qWaitFor(
          [&] { return (dialog = window.findChild<PassphraseDialog*>()) != nullptr && dialog->isVisible(); }))
    return nullptr;
  QApplication::setActiveWindow(dialog);
  return dialog;
}

void typeInto(QWidget* dialog, const char* field, const QString& text) {
  auto* edit = dialog->findChild<QLineEdit*>(field);
  edit->setFocus();
  QTest::keyClicks(edit, text);
}

}  // namespace

class LineViewTest : public QObject {
  Q_OBJECT
 private slots:
  void itIsSetUpByHand() {
    release::LineRules rules;
    rules.signOn = true;
    rules.units = 500;
    LineStage s(1, rules, patient());
    s.window->findChild<QAction*>("lineTab")->trigger();
    QCOMPARE(s.find<QLabel>("lineMissing")->text(), QString("Open a release."));
    QVERIFY(!s.find<QPushButton>("lineBegin")->isEnabled());
    QVERIFY(s.view().accepts(QString::fromStdString(s.gauge.file())));
    s.view().drop(QString::fromStdString(s.gauge.file()));
    QCOMPARE(s.find<QLabel>("lineRelease")->text(),
             QString("River gauge, board revision B, release 14, signed by bench 2"));
    QVERIFY(s.find<QLabel>("lineRules")->text().contains("No more than 500 good ones."));
    typeInto(s.window.get(), "lineAddress", QString::fromStdString(s.places.front().address()));
    QTest::keyClick(s.find<QLineEdit>("lineAddress"), Qt::Key_Return);
    QCOMPARE(s.desk().probes().size(), 1);
    QVERIFY(s.find<QLabel>("lineMissing")->text().startsWith("Sign on"));
    typeInto(s.window.get(), "lineOperator", "K7");
    QTest::keyClick(s.find<QLineEdit>("lineOperator"), Qt::Key_Return);
    QVERIFY(s.until([&] { return s.view().cards().size() == 1 && s.view().cards()[0]->answer().kind == Kind::Good; }));
    QCOMPARE(s.find<QLabel>("lineWho")->text(), QString("K7"));
    s.find<QPushButton>("lineEnd")->click();
    QVERIFY(!s.desk().isWorking());
    QVERIFY(s.find<QPushButton>("lineBegin")->isVisible());
  }

  void aReleaseIsMadeOfTheSheet() {
    LineStage s(1, {}, patient());
    std::filesystem::remove_all(dataFolder());  // nobody signs here yet, and nobody is trusted
    s.window->bench().keeping().open(QString::fromStdString(s.gauge.path("gauge-rev-b.imprimo")));
    s.window->findChild<QAction*>("lineTab")->trigger();
    QTest::mouseClick(s.find<QPushButton>("lineMake"), Qt::LeftButton);
    ReleaseDialog* dialog = nullptr;
    QVERIFY(s.until([&] { return (dialog = s.window->findChild<ReleaseDialog*>()) != nullptr; }));
    QApplication::setActiveWindow(dialog);
    auto* go = dialog->findChild<QPushButton*>("releaseGo");
    QVERIFY(!go->isEnabled());
    typeInto(dialog, "releaseKeyName", "bench 9");
    typeInto(dialog, "releaseUnits", "many");
    QVERIFY(dialog->findChild<QLabel*>("releaseProblem")->text().contains("whole number"));
    dialog->findChild<QLineEdit*>("releaseUnits")->clear();
    typeInto(dialog, "releaseUnits", "500");
    typeInto(dialog, "releaseFailed", "Into the red tray with it.");
    typeInto(dialog, "releasePassphrase", "a long passphrase");
    QVERIFY(!go->isEnabled());
    typeInto(dialog, "releasePassphraseAgain", "a long passphrase");
    QVERIFY(go->isEnabled());
    dialog->saveTo(QString::fromStdString(s.gauge.path("made.imprimo-release")));
    QVERIFY(s.until([&] { return s.desk().release() != nullptr; }));
    QCOMPARE(s.desk().release()->signer.name, std::string("bench 9"));
    QCOMPARE(s.desk().release()->manifest.line.units, std::optional<std::uint64_t>(500));
    QCOMPARE(s.desk().release()->manifest.line.afterFailed, std::string("Into the red tray with it."));
  }

  void theAnswerIsReadFromThreeMetres() {
    LineStage s(1, {}, patient());
    s.ready();
    s.find<QPushButton>("lineBegin")->click();
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Busy; }));
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Good; }));
    const AnswerCard& card = *s.view().cards()[0];
    QCOMPARE(card.answer().word, QString("Done"));
    QVERIFY2(card.wordHeight() >= 120, qPrintable(QString::number(card.wordHeight())));
    QVERIFY(card.answer().under.startsWith("Unit 1, in "));
    QCOMPARE(card.answer().next, QString("Take the board out, and put the next one in."));
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QLabel>("lineDone")->text(), QString("1"), kPatience);
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QLabel>("lineNext")->text(), QString("2"), kPatience);
    QCOMPARE(s.find<QLabel>("lineLeft")->text(), QString("999"));
    QVERIFY(s.view().cards()[0]->accessibleName() == "Done");
    // Every answer has a word and a shape of its own.
    QCOMPARE(s.find<QLabel>("answerWaits")->text(), QString("Waiting for this board to be taken out…"));
    QVERIFY(!s.find<QPushButton>("answerAct")->isVisible());
  }

  void aFailureHasOneSentenceAndTheRestIsFolded() {
    release::LineRules rules;
    rules.afterFailed = "Put this board into the red tray, then insert the next one.";
    LineStage s(1, rules, patient());
    s.places.front().server().with([](sim::Bench& b) { b.flash("boot-flash").corruptWritten(5000, 0x10); });
    s.ready();
    s.find<QPushButton>("lineBegin")->click();
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Failed; }));
    const LineAnswer& answer = s.view().cards()[0]->answer();
    QCOMPARE(answer.word, QString("Failed"));
    QVERIFY(s.view().cards()[0]->wordHeight() >= 120);
    QCOMPARE(answer.sentence, QString("The memory does not hold what was written into it."));
    QCOMPARE(answer.under, QString("Something was written. Number 1 is spent."));
    QCOMPARE(answer.next, QString::fromStdString(rules.afterFailed));
    auto* details = s.find<QLabel>("answerDetails");
    QVERIFY(!details->isVisible());
    s.find<QToolButton>("answerUnfold")->click();
    QVERIFY(details->isVisible());
    QVERIFY2(details->text().contains("boot-flash: 0x"), qPrintable(details->text()));
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QLabel>("lineFailed")->text(), QString("1"), kPatience);
  }

  void aFootSwitchIsAKey() {
    release::LineRules rules;
    rules.startsByItself = false;
    LineStage s(1, rules, patient());
    s.ready();
    s.find<QPushButton>("lineBegin")->click();
    QVERIFY(s.until([&] { return s.view().cards()[0]->place().phase() == line::Phase::AwaitsKey; }));
    QTest::qWait(100);
    QVERIFY(!s.view().cards()[0]->place().last().has_value());
    QTest::keyClick(&s.view(), Qt::Key_Space);
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Good; }));
    // At the next key the same board is known again.
    QVERIFY(s.until([&] { return s.view().cards()[0]->place().phase() == line::Phase::AwaitsKey; }));
    QTest::mouseClick(s.find<QPushButton>("answerAct"), Qt::LeftButton);
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().sentence.contains("unit 1 already"); }));
  }

  void aCodeIsLookedAtFirst() {
    LineStage s(1, {}, patient(), "1999", kCodeField);
    s.ready();
    s.find<QPushButton>("lineBegin")->click();
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Scan; }));
    auto* code = s.find<QLineEdit>("answerCode");
    QVERIFY(code->isVisible());
    QTest::keyClicks(code, "nonsense");
    QTest::keyClick(code, Qt::Key_Return);
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().sentence.contains("does not fit the pattern"); }));
    QCOMPARE(s.places.front().server().with([](sim::Bench& b) { return b.packets(); }), 0U);
    QTest::keyClicks(code, "AB1234");
    QTest::keyClick(code, Qt::Key_Return);
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Good; }));
  }

  void aHaltIsSaidAndTriedAgain() {
    LineStage s(1, {}, patient(), "1000");
    s.ready();
    s.find<QPushButton>("lineBegin")->click();
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Good; }));
    s.find<QPushButton>("lineEnd")->click();
    s.find<QPushButton>("lineBegin")->click();
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Halt; }));
    QVERIFY(s.view().cards()[0]->answer().sentence.contains("serial ends at 1000"));
    QVERIFY(s.view().cards()[0]->wordHeight() >= 120);
    QTest::keyClick(&s.view(), Qt::Key_Return);
    QVERIFY(s.until([&] { return s.view().cards()[0]->answer().kind == Kind::Halt; }));
  }

  void severalPlacesStandBesideEachOther() {
    sim::FixtureModel boards;
    LineStage s(4, {}, boards);
    s.ready();
    s.find<QPushButton>("lineBegin")->click();
    QCOMPARE(s.view().cards().size(), 4U);
    for (std::size_t i = 1; i < 4; ++i) {
      QVERIFY(s.view().cards()[i]->x() > s.view().cards()[i - 1]->x());
      QVERIFY(std::abs(s.view().cards()[i]->width() - s.view().cards()[0]->width()) <= 1);
    }
    QVERIFY(s.until([&] {
      return std::all_of(s.view().cards().begin(), s.view().cards().end(),
                         [](AnswerCard* card) { return card->place().last().has_value(); });
    }));
    QVERIFY(s.until([&] { return s.desk().counts().good >= 8; }));
    for (AnswerCard* card : s.view().cards()) QVERIFY(card->place().last()->kind == line::BoardResult::Kind::Good);
  }

  void oneThatHangsHoldsNobodyUp() {
    LineStage s(2);
    s.ready();
    std::timed_mutex hang;
    hang.lock();
    std::jthread stuck([&] {
      s.places.front().server().with(
          [&](sim::Bench&) { static_cast<void>(hang.try_lock_for(std::chrono::seconds(20))); });
    });
    s.find<QPushButton>("lineBegin")->click();
    QVERIFY(s.until([&] { return s.desk().counts().good >= 3; }));
    QVERIFY(!s.view().cards()[0]->place().last().has_value() ||
            s.view().cards()[0]->place().last()->kind != line::BoardResult::Kind::Good);
    hang.unlock();
  }

  void aLockedStationIsLeftWithThePassphraseOnly() {
    LineStage s(1, {}, patient());
    s.ready();
    QTest::mouseClick(s.find<QPushButton>("lineLock"), Qt::LeftButton);
    PassphraseDialog* dialog = dialogOf(*s.window);
    QVERIFY(dialog != nullptr);
    typeInto(dialog, "passphrase", "a long passphrase");
    typeInto(dialog, "passphraseAgain", "another one");
    QTest::mouseClick(dialog->findChild<QPushButton*>("passphraseGo"), Qt::LeftButton);
    QVERIFY(dialog->findChild<QLabel*>("passphraseProblem")->text().contains("not the same"));
    QVERIFY(dialog->findChild<QLineEdit*>("passphrase")->text().isEmpty());
    typeInto(dialog, "passphrase", "a long passphrase");
    typeInto(dialog, "passphraseAgain", "a long passphrase");
    QTest::mouseClick(dialog->findChild<QPushButton*>("passphraseGo"), Qt::LeftButton);
    QVERIFY(s.until([&] { return s.desk().isLocked() && s.desk().isWorking(); }));
    const auto requireLocked = [&] {
      QVERIFY(!s.find<QWidget>("topBar") || !s.find<QWidget>("topBar")->isVisible());
      QVERIFY(!s.find<QPushButton>("lineEnd")->isVisible());
      QTest::keyClick(s.window.get(), Qt::Key_1, Qt::ControlModifier);
      QTest::keyClick(s.window.get(), Qt::Key_O, Qt::ControlModifier);
      QVERIFY(s.view().isVisible());
      s.window->close();
      QVERIFY(s.window->isVisible());
    };
    requireLocked();
    // Another start of the program is the same station, at work at once.
    s.window.reset();
    s.openWindow();
    QVERIFY(s.desk().isLocked());
    QVERIFY(s.until([&] { return s.desk().isWorking() && s.view().isVisible(); }));
    requireLocked();
    QVERIFY(s.until([&] { return s.view().cards()[0]->place().last().has_value(); }));

    s.find<QAction>("lineUnlock")->trigger();
    dialog = dialogOf(*s.window);
    QVERIFY(dialog != nullptr);
    auto* go = dialog->findChild<QPushButton*>("passphraseGo");
    typeInto(dialog, "passphrase", "a wrong passphrase");
    QTest::mouseClick(go, Qt::LeftButton);
    QVERIFY(s.desk().isLocked());
    QVERIFY(!go->isEnabled());  // it takes its time until the next
    QVERIFY(s.until([&] { return go->isEnabled(); }));
    typeInto(dialog, "passphrase", "a long passphrase");
    QTest::mouseClick(go, Qt::LeftButton);
    QVERIFY(!s.desk().isLocked());
    QVERIFY(s.find<QPushButton>("lineEnd")->isVisible());
    QTest::keyClick(s.window.get(), Qt::Key_1, Qt::ControlModifier);
    s.find<QAction>("benchTab")->trigger();
    QVERIFY(!s.view().isVisible());
  }
};

IMPRIMO_TEST(LineViewTest);
#include "tst_line_view.moc"
