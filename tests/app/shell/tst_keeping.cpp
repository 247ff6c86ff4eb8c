// SPDX-License-Identifier: GPL-3.0-or-later
//
// Nothing that was changed in the window is lost: saving, closing, being told to end, and others at the same file.
#include <QDialog>
#include <QDir>
#include <QLabel>
#include <QMessageBox>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSignalSpy>
#include <QTimer>

#include "app/images/image_files.h"
#include "app/images/images_view.h"
#include "app/shell/recovery.h"
#include "app/views.h"
#include "core/store/folders.h"
#include "records/record_store.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// Presses a button of the next dialog that comes up; what the dialog said is kept.
class Answer {
 public:
  explicit Answer(const QString& button) : button_(button) {
    timer_.setInterval(50);
    QObject::connect(&timer_, &QTimer::timeout, [this] {
      QWidget* dialog = QApplication::activeModalWidget();
      if (dialog == nullptr) return;
      for (QAbstractButton* b : dialog->findChildren<QAbstractButton*>()) {
        if (b->objectName() != button_ && b->text().remove('&') != button_) continue;
        timer_.stop();
        if (const auto* box = qobject_cast<QMessageBox*>(dialog)) said_ = box->text();
        if (const auto* list = dialog->findChild<QPlainTextEdit*>()) said_ = list->toPlainText();
        QTest::mouseClick(b, Qt::LeftButton);
        return;
      }
    });
    timer_.start();
  }
  QString said() const { return said_; }
  bool wasAsked() const { return !timer_.isActive(); }

 private:
  QString button_, said_;
  QTimer timer_;
};

void pressSave(Stage& s) {
  s.window.activateWindow();
  if (!QTest::qWaitForWindowActive(&s.window)) qFatal("the window does not come up");
  QTest::keyClick(&s.window, Qt::Key_S, Qt::ControlModifier);
}

std::string fileText(Stage& s) {
  return readTextFile(s.folder.filePath("gauge-rev-b.imprimo").toStdString());
}

/// Moves the first file of the image, in the Images view.
void moveAFile(Stage& s, std::uint64_t to) {
  QTest::keyClick(&s.window, Qt::Key_2, Qt::ControlModifier);
  ImageDocument& image = s.window.view<ImagesView>().document();
  Placement placement = image.state().placements.at(0);
  placement.at = to;
  image.setPlacement(0, placement, "moved");
}

}  // namespace

class KeepingTest : public QObject {
  Q_OBJECT

  void emptyRecovery() { std::filesystem::remove_all(store::dataFolder() / "recovery"); }

 private slots:
  void init() { emptyRecovery(); }

  void savingInTheImagesViewSavesWhatIsOnScreen() {
    Stage s({}, false);
    QVERIFY(!s.window.bench().keeping().isUnsaved());
    moveAFile(s, 0x123000);
    QVERIFY(s.window.bench().keeping().isUnsaved());
    pressSave(s);
    QVERIFY(!s.window.bench().keeping().isUnsaved());
    VERIFY_CONTAINS(fileText(s), "0x123000");
  }

  void closingAsksForWhatTheImagesViewHas() {
    Stage s({}, false);
    moveAFile(s, 0x123000);
    {
      Answer stay("Cancel");
      QVERIFY(!s.window.close());
      QVERIFY(stay.wasAsked());
    }
    QVERIFY(s.window.isVisible());
    Answer save("Save");
    QVERIFY(s.window.close());
    QVERIFY(save.wasAsked());
    VERIFY_CONTAINS(fileText(s), "0x123000");
  }

  void anotherSheetAsksToo() {
    Stage s({}, false);
    moveAFile(s, 0x123000);
    QFile::copy(s.folder.filePath("gauge-rev-b.imprimo"), s.folder.filePath("other.imprimo"));
    Answer stay("Cancel");
    QMetaObject::invokeMethod(&s.window, [&] { s.window.openAsked(s.folder.filePath("other.imprimo")); });
    QVERIFY(stay.wasAsked());
    QCOMPARE(s.window.bench().document().sheet().path.filename().string(), std::string("gauge-rev-b.imprimo"));
  }

  void anImageForNoSheetIsNotLostEither() {
    QTemporaryDir folder;
    MainWindow window{viewTable()};
    window.show();
    QFile file(folder.filePath("a.bin"));
    QVERIFY(file.open(QIODevice::WriteOnly) && file.write("12345678") == 8);
    file.close();
    window.view<ImagesView>().document().addFile(folder.filePath("a.bin"));
    {
      Answer stay("Cancel");
      QVERIFY(!window.close());
      QVERIFY(stay.wasAsked());
    }
    QVERIFY(window.view<ImagesView>().document().save(folder.filePath("image.hex")));
    QVERIFY(window.close());
  }

  void anotherProgramsChangeIsShownBeforeItIsTaken() {
    Stage s({}, false);
    auto* words = s.find<QLabel>("outsideWords");
    QVERIFY(!words->isVisible());
    s.window.bench().document().addBookmark({"boot-flash", 0x1000, "mine", std::nullopt});
    s.change(s.folder.filePath("gauge-rev-b.imprimo"),
             [](QString& text) { text.replace("\"title\": \"", "\"title\": \"Theirs "); });
    QTRY_VERIFY_WITH_TIMEOUT(words->isVisible(), kPatience);
    QVERIFY2(words->text().startsWith("title: \"Theirs River gauge, board revision B\" in the file, \"River gauge"),
             qPrintable(words->text()));
    QCOMPARE(s.window.bench().document().sheet().title, std::string("River gauge, board revision B"));
    s.click("takeOutside");
    QVERIFY(!words->isVisible());
    QCOMPARE(s.window.bench().document().sheet().title, std::string("Theirs River gauge, board revision B"));
    QVERIFY(!s.window.bench().document().isModified());
    // What was here is one undo away, and then asked about when it is saved.
    s.window.bench().undoAction->trigger();
    QCOMPARE(s.window.bench().document().sheet().bookmarks.back().name, std::string("mine"));
    QVERIFY(s.window.bench().document().isModified());
    // What is kept is not asked about again until it is saved.
    s.change(s.folder.filePath("gauge-rev-b.imprimo"), [](QString& text) { text.replace("Theirs", "Others"); });
    QTRY_VERIFY_WITH_TIMEOUT(words->isVisible(), kPatience);
    s.click("keepMine");
    QVERIFY(!words->isVisible());
    // A file that is no sheet any more cannot be taken.
    s.change(s.folder.filePath("gauge-rev-b.imprimo"), [](QString& text) { text.replace("{", "["); });
    QTRY_VERIFY_WITH_TIMEOUT(words->isVisible(), kPatience);
    QVERIFY(!s.find<QPushButton>("takeOutside")->isEnabled());
  }

  void anotherProgramsChangeIsNotWrittenOver() {
    Stage s({}, false);
    s.window.bench().document().addBookmark({"boot-flash", 0x1000, "mine", std::nullopt});
    s.change(s.folder.filePath("gauge-rev-b.imprimo"),
             [](QString& text) { text.replace("\"title\": \"", "\"title\": \"Theirs "); });
    const std::string theirs = fileText(s);
    {
      Answer cancel("cancelSave");
      pressSave(s);
      QVERIFY(cancel.wasAsked());
      QVERIFY2(cancel.said().contains("title: \"Theirs "), qPrintable(cancel.said()));
      QVERIFY2(cancel.said().contains("bookmarks"), qPrintable(cancel.said()));
    }
    COMPARE_TEXT(fileText(s), theirs);
    QVERIFY(s.window.bench().keeping().isUnsaved());
    {
      Answer mine("writeMine");
      pressSave(s);
      QVERIFY(mine.wasAsked());
    }
    VERIFY_CONTAINS(fileText(s), "\"mine\"");
    QVERIFY(fileText(s).find("Theirs") == std::string::npos);
    QVERIFY(!s.window.bench().keeping().isUnsaved());
    // Saved once more there is nothing to ask.
    s.window.bench().document().addBookmark({"boot-flash", 0x2000, "second", std::nullopt});
    pressSave(s);
    VERIFY_CONTAINS(fileText(s), "\"second\"");
    // Theirs.
    s.window.bench().document().addBookmark({"boot-flash", 0x3000, "third", std::nullopt});
    s.change(s.folder.filePath("gauge-rev-b.imprimo"),
             [](QString& text) { text.replace("\"title\": \"", "\"title\": \"Theirs "); });
    Answer open("openTheirs");
    pressSave(s);
    QVERIFY(open.wasAsked());
    QVERIFY(s.window.bench().document().sheet().title.starts_with("Theirs "));
    QVERIFY(!s.window.bench().keeping().isUnsaved());
  }

  void beingToldToEndKeepsChangesForTheNextStart() {
    QString path;
    {
      Stage s({}, false);
      path = s.folder.filePath("gauge-rev-b.imprimo");
      moveAFile(s, 0x123000);
      const std::string before = fileText(s);
      s.window.leave();
      COMPARE_TEXT(fileText(s), before);  // the sheet's own file is the user's word, not ours
      QVERIFY(keptForLater());
      MainWindow next{viewTable()};
      next.show();
      Answer open("openKept");
      next.offerKept();
      QVERIFY(QTest::qWaitFor([&] { return open.wasAsked(); }, kPatience));
      QVERIFY2(open.said().contains("gauge-rev-b.imprimo"), qPrintable(open.said()));
      QVERIFY(!keptForLater());
      QVERIFY(next.bench().keeping().isUnsaved());
      QCOMPARE(next.bench().document().sheet().placements.at(0).at.value_or(0), 0x123000u);
      QVERIFY(next.bench().keeping().save());
      VERIFY_CONTAINS(fileText(s), "0x123000");
    }
  }

  void beingToldToEndWithNothingToSaveKeepsNothing() {
    Stage s({}, false);
    s.window.leave();
    QVERIFY(!keptForLater());
  }

  void keptChangesCanBeDiscardedOrLeft() {
    Stage s({}, false);
    moveAFile(s, 0x123000);
    s.window.leave();
    MainWindow next{viewTable()};
    next.show();
    {
      Answer later("Later");
      next.offerKept();
      QVERIFY(QTest::qWaitFor([&] { return later.wasAsked(); }, kPatience));
    }
    QVERIFY(keptForLater());
    Answer discard("forgetKept");
    next.offerKept();
    QVERIFY(QTest::qWaitFor([&] { return discard.wasAsked(); }, kPatience));
    QVERIFY(!keptForLater());
    QVERIFY(!next.bench().document().isOpen());
  }

  void whatIsUndoneAfterAResumeIsStillUnsaved() {
    Stage s({}, false);
    const auto& document = s.window.bench().document();
    const std::string text = readTextFile(document.sheet().path);
    std::string kept = text;
    kept.replace(kept.find("River gauge"), 11, "River gouge");
    QVERIFY(s.window.bench().keeping().resume(kept, document.sheet().path, text));
    s.window.bench().document().addBookmark({"boot-flash", 0x1000, "mine", std::nullopt});
    s.window.bench().undoAction->trigger();
    QVERIFY(document.isModified());  // the title is in no file
    QVERIFY(s.window.bench().keeping().save());
    QVERIFY(!document.isModified());
    // What is undone to what was saved is saved.
    s.window.bench().document().addBookmark({"boot-flash", 0x1000, "mine", std::nullopt});
    s.window.bench().undoAction->trigger();
    QVERIFY(!document.isModified());
  }

  void closingDuringARunStopsItInOrder() {
    Stage s({}, true, true);
    QVERIFY(s.untilPlanned());
    s.window.bench().run().go();
    QVERIFY(s.window.bench().run().isRunning());
    QTest::qWait(300);
    {
      Answer on("Keep running");
      QVERIFY(!s.window.close());
      QVERIFY(on.wasAsked());
      QVERIFY(s.window.bench().run().isRunning() || s.window.bench().run().record());
    }
    QSignalSpy finished(&s.window.bench().session(), &BenchSession::runFinished);
    Answer stop("stopAndClose");
    s.window.close();
    QVERIFY(stop.wasAsked());
    QVERIFY(QTest::qWaitFor([&] { return !s.window.isVisible(); }, kPatience));
    QCOMPARE(finished.size(), 1);
    const auto record = finished.at(0).at(0).value<RecordPtr>();
    QVERIFY2(record->error == ErrorKind::Stopped, record->message.c_str());
    records::Database database(records::chosenStore());
    QCOMPARE(records::RecordStore(database).find({"", "", "", "stopped", "", ""}, 1).size(), 1U);
  }

  void beingToldToEndDuringARunStopsItInOrder() {
    Stage s({}, true, true);
    QVERIFY(s.untilPlanned());
    QSignalSpy finished(&s.window.bench().session(), &BenchSession::runFinished);
    s.window.bench().run().go();
    QTest::qWait(300);
    QVERIFY(s.window.bench().run().isRunning());
    s.window.leave();
    QVERIFY(QTest::qWaitFor([&] { return finished.size() == 1; }, kPatience));
    QVERIFY(finished.at(0).at(0).value<RecordPtr>()->error == ErrorKind::Stopped);
  }

  void anUnfinishedRunIsTheFirstThingThatIsShown() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* banner = s.find<QWidget>("earlierBanner");
    QVERIFY(!banner->isVisible());
    const Bytes before = s.cells(0, 0x800000);
    std::uint64_t lost = 0;
    const auto cut = connect(&s.window.bench().session(), &BenchSession::stepAdvanced, this, [&](int step) {
      if (lost != 0 ||
          s.window.bench().run().plan()->steps[static_cast<std::size_t>(step)].kind != plan::StepKind::Renew)
        return;
      lost = s.demo->with([](sim::Bench& b) {
        b.dropLinkAtPacket(b.packets() + 2);
        return b.packets();
      });
    });
    QSignalSpy finished(&s.window.bench().session(), &BenchSession::runFinished);
    s.window.bench().run().go();
    QVERIFY(QTest::qWaitFor([&] { return finished.size() == 1; }, kPatience));
    disconnect(cut);
    QVERIFY(lost != 0);
    QVERIFY(finished.at(0).at(0).value<RecordPtr>()->error == ErrorKind::LinkLost);
    s.demo->with([](sim::Bench& b) {
      b.restoreLink();
      return 0;
    });
    s.window.bench().link().reconnect();
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().link().state() == LinkState::Connected; }, kPatience));
    QVERIFY(QTest::qWaitFor([&] { return banner->isVisible(); }, kPatience));
    const QString words = s.find<QLabel>("earlierWords")->text();
    QVERIFY2(words.contains("did not end") && words.contains("is saved in"), qPrintable(words));
    // What happened stays in sight until something else is asked for; then the plan begins with it.
    s.window.bench().choice().setIntent(Intent::Erase);
    s.window.bench().choice().setIntent(Intent::Write);
    QVERIFY(QTest::qWaitFor(
        [&] {
          return s.window.bench().run().plan() &&
                 s.window.bench().run().plan()->find(plan::StepKind::Finish) != nullptr;
        },
        kPatience));
    s.click("finishEarlierNow");
    QVERIFY(QTest::qWaitFor([&] { return finished.size() == 2; }, kPatience));
    const auto record = finished.at(1).at(0).value<RecordPtr>();
    QVERIFY2(record->good(), record->message.c_str());
    QVERIFY(QTest::qWaitFor([&] { return !banner->isVisible(); }, kPatience));
    // All that nobody planned to change is as it was.
    const Bytes after = s.cells(0, 0x800000);
    for (const AddressRange& kept : s.window.bench().document().sheet().keptIn("boot-flash")) {
      QVERIFY(std::equal(after.begin() + static_cast<std::ptrdiff_t>(kept.begin),
                         after.begin() + static_cast<std::ptrdiff_t>(kept.end),
                         before.begin() + static_cast<std::ptrdiff_t>(kept.begin)));
    }
  }

  void whoHasTheSheetOrTheProbeIsSaid() {
    Stage s({}, true);
    QVERIFY(s.window.bench().link().state() == LinkState::Connected);
    QStringList said;
    MainWindow second{viewTable()};
    connect(&second.bench(), &Workbench::message, this, [&](const QString& text) { said += text; });
    second.bench().keeping().open(s.folder.filePath("gauge-rev-b.imprimo"));
    const QString who = QString("imprimo, process %1").arg(QCoreApplication::applicationPid());
    QVERIFY2(said.join('\n').contains("is open in another program too: " + who), qPrintable(said.join('\n')));
    second.bench().link().connectTo(QString::fromStdString(s.demo->address()));
    QVERIFY(QTest::qWaitFor([&] { return second.bench().link().report().has_value(); }, kPatience));
    QVERIFY2(second.bench().link().report()->message.contains("in use by another program"),
             qPrintable(second.bench().link().report()->message));
    QVERIFY2(second.bench().link().report()->message.contains("held by " + who),
             qPrintable(second.bench().link().report()->message));
  }
};
IMPRIMO_TEST(KeepingTest);
#include "tst_keeping.moc"
