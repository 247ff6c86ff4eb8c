// SPDX-License-Identifier: GPL-3.0-or-later
//
// What helps with the program itself: a first job, settings, a report, files handed over by the desktop.
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QSettings>
#include <QTreeWidget>

#include "app/images/images_view.h"
#include "app/shell/first_job.h"
#include "app/shell/guide_browser.h"
#include "app/shell/log_strip.h"
#include "core/base/user_folders.h"
#include "core/probe/ignored_probes.h"
#include "report/session_log.h"
#include "settings/settings.h"
#include "tests/app/keyboard.h"
#include "tests/app/stage.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class HelpingTest : public QObject, Keyboard {
  Q_OBJECT
 private slots:
  /// Each step goes on by doing it, with the real controls and nothing else.
  void theFirstJobIsDone() {
    QSettings().clear();
    QVERIFY(!FirstJob::wasOffered());
    Stage s({}, true);
    QApplication::setActiveWindow(&s.window);
    QVERIFY(s.untilPlanned());
    auto* job = s.find<FirstJob>("firstJob");
    QVERIFY(!job->isVisible());
    s.window.findChild<QAction*>("firstJobAction")->trigger();
    QVERIFY(job->isVisible() && FirstJob::wasOffered());
    // What is done already is not asked for: the demo is open, and its bridge loaded.
    QCOMPARE(job->step(), std::size_t{2});
    auto* words = s.find<QLabel>("firstJobWords");
    QVERIFY(words->text().contains("F3"));
    auto* ring = s.window.findChild<Ring*>();
    QVERIFY(ring->isVisible());
    QVERIFY(ring->geometry().contains(s.find<QWidget>("nextDifference")->mapTo(&s.window, QPoint(3, 3))));
    paneOf("sectorMap");
    press(Qt::Key_F3);
    QCOMPARE(job->step(), std::size_t{3});
    press(Qt::Key_G, Qt::ControlModifier);
    type("0x6A2000");
    press(Qt::Key_Return);
    QCOMPARE(job->step(), std::size_t{4});
    QCOMPARE(nameOf(keysAt()), QString("byteZip"));
    type("5a");
    QCOMPARE(job->step(), std::size_t{5});
    press(Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(job->step(), std::size_t{6});
    QTRY_VERIFY_WITH_TIMEOUT(s.window.bench().goAction->isEnabled() && s.untilPlanned(), kPatience);
    press(Qt::Key_Return, Qt::ControlModifier);
    QVERIFY(s.untilDone());
    QTRY_COMPARE_WITH_TIMEOUT(job->step(), std::size_t{7}, kPatience);
    press(Qt::Key_7, Qt::ControlModifier);
    QVERIFY(!job->isUnderWay() && job->isVisible());
    QVERIFY(words->text().contains("F1"));
    QVERIFY(!ring->isVisible());
    s.click("firstJobLeave");
    QVERIFY(!job->isVisible());
  }

  void theFirstJobIsLeft() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.window.findChild<QAction*>("firstJobAction")->trigger();
    auto* job = s.find<FirstJob>("firstJob");
    QVERIFY(job->isUnderWay());
    s.click("firstJobLeave");
    QVERIFY(!job->isVisible() && !s.window.findChild<Ring*>()->isVisible());
    // What is done afterwards brings it back no more.
    s.window.bench().nextDifferenceAction->trigger();
    QTest::qWait(50);
    QVERIFY(!job->isVisible());
  }

  /// Nobody is led to write to a board of their own.
  void theFirstJobEndsWithTheDemo() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.window.findChild<QAction*>("firstJobAction")->trigger();
    auto* job = s.find<FirstJob>("firstJob");
    QCOMPARE(job->step(), std::size_t{2});
    s.window.openAsked(s.folder.filePath("supervisor/supervisor.imprimo"));
    QVERIFY(!FirstJob::isDemo(s.window.bench()));
    QVERIFY(!job->isUnderWay() && !job->isVisible());
  }

  void settingsAreChangedOnTheirPage() {
    // As in the program: the command line changes the same ones.
    QApplication::setOrganizationName("imprimo");
    QApplication::setApplicationName("imprimo");
    const auto back = qScopeGuard([] {
      QApplication::setOrganizationName("imprimo-tests");
      QApplication::setApplicationName("imprimo-tests");
    });
    Stage s({}, false);
    s.window.findChild<QAction*>("settings")->trigger();
    auto* dialog = s.window.findChild<QDialog*>("settingsDialog");
    QVERIFY(dialog != nullptr && dialog->isVisible());
    for (const settings::Setting& each : settings::allSettings())
      QVERIFY2(dialog->findChild<QWidget*>(QString::fromStdString("setting_" + each.key)) != nullptr, each.key.c_str());
    auto* theme = dialog->findChild<QComboBox*>("setting_look.theme");
    for (int i = 0; i < 3; ++i) QTest::keyClick(theme, Qt::Key_Down);
    QCOMPARE(&Theme::current(), &Theme::of(ThemeKind::Contrast));
    auto* reset = dialog->findChild<QAbstractButton*>("reset_look.theme");
    QTest::mouseClick(reset, Qt::LeftButton);
    QCOMPARE(&Theme::current(), &Theme::of(ThemeKind::Light));
    QVERIFY(!reset->isEnabled());
    // What makes no sense is said beside it, and changes nothing.
    auto* ignored = dialog->findChild<QLineEdit*>("setting_probes.ignored");
    QTest::keyClicks(ignored, "tcp:host:1");
    QTest::keyClick(ignored, Qt::Key_Return);
    auto* trouble = dialog->findChild<QLabel*>("trouble_probes.ignored");
    QVERIFY(trouble->isVisible() && trouble->text().contains("is no probe of this computer"));
    QVERIFY(probe::ignoredProbes().empty());
    ignored->clear();
    QTest::keyClicks(ignored, "usb:G-18");
    QTest::keyClick(ignored, Qt::Key_Return);
    QVERIFY(!trouble->isVisible());
    QCOMPARE(probe::ignoredProbes(), std::vector<std::string>{"usb:G-18"});
    probe::setIgnoredProbes({});
    dialog->close();
  }

  /// A file of settings that is broken is told, and the window goes on.
  void brokenSettingsAreTold() {
    Stage s({}, false);
    const QString file = QString::fromStdString((dataFolder() / "copies/limits.json").string());
    QDir().mkpath(QFileInfo(file).path());
    QFile limits(file);
    QVERIFY(limits.open(QIODevice::WriteOnly) && limits.write("{\"bytes\": ") > 0);
    limits.close();
    const auto away = qScopeGuard([&] { QFile::remove(file); });
    s.window.findChild<QAction*>("settings")->trigger();
    QVERIFY(s.window.findChild<QDialog*>("settingsDialog") == nullptr);
    QVERIFY2(s.window.findChild<LogStrip*>()->text().contains("limits.json"),
             qPrintable(s.window.findChild<LogStrip*>()->text()));
  }

  void aReportIsRead() {
    Stage s({}, false);
    emit s.window.bench().message("Something was odd.", true);
    s.window.findChild<QAction*>("report")->trigger();
    auto* dialog = s.window.findChild<QDialog*>("reportDialog");
    QVERIFY(dialog != nullptr);
    const QString text = dialog->findChild<QPlainTextEdit*>("reportText")->toPlainText();
    QVERIFY2(text.contains("Report of imprimo") && text.contains("Something was odd.") && text.contains("Qt 6"),
             qPrintable(text));
    QTest::mouseClick(dialog->findChild<QAbstractButton*>("reportCopy"), Qt::LeftButton);
    QCOMPARE(QApplication::clipboard()->text(), text);
    dialog->close();
  }

  /// Pages of the guide have titles, links lead to pages that are there, and a word finds them.
  void theGuideIsSearched() {
    Stage s({}, false);
    QVERIFY(guidePages().size() >= 13);
    for (const GuidePage& page : guidePages()) {
      QVERIFY2(!page.title.isEmpty(), qPrintable(page.url.toString()));
      static const QRegularExpression kLink("\\]\\(([^)#]+\\.md)");
      for (auto each = kLink.globalMatch(guideText(page.url)); each.hasNext();) {
        const QUrl to = page.url.resolved(QUrl(each.next().captured(1)));
        QVERIFY2(!guideText(to).isEmpty(), qPrintable(page.url.toString() + " to " + to.toString()));
      }
      QVERIFY(!guideText(page.url).contains("<!--"));
    }
    s.window.findChild<QAction*>("help")->trigger();
    auto* dialog = s.window.findChild<QDialog*>("keysDialog");
    auto* list = dialog->findChild<QTreeWidget*>("keysList");
    QTest::keyClicks(dialog->findChild<QLineEdit*>("keysSearch"), "PostgreSQL");
    QTreeWidgetItem* found = nullptr;
    for (int i = 0; i < list->topLevelItem(0)->childCount(); ++i) {
      if (list->topLevelItem(0)->child(i)->text(0) == "Several stations, one database")
        found = list->topLevelItem(0)->child(i);
    }
    QVERIFY(found != nullptr && !found->isHidden());
    list->setCurrentItem(found);
    auto* page = dialog->findChild<QTextBrowser*>("guide");
    QVERIFY(page->toPlainText().startsWith("Several stations, one database"));
    QCOMPARE(page->textCursor().selectedText().toLower(), QString("postgresql"));
    // It stands beside the window, once.
    s.window.findChild<QAction*>("help")->trigger();
    QCOMPARE(s.window.findChildren<QDialog*>("keysDialog").size(), 1);
    QVERIFY(!dialog->isModal());
    dialog->close();
  }

  /// Double clicks in a file manager: each kind goes where it belongs.
  void filesAreHandedOver() {
    Stage s({}, false);
    // A sheet is also put into the desktop's list of recent files, once.
    const QString list = QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/recently-used.xbel";
    QFile::remove(list);
    const QString other = s.folder.filePath("supervisor/supervisor.imprimo");
    s.window.openAsked(other);
    s.window.openAsked(other);
    QFile recent(list);
    QVERIFY(recent.open(QIODevice::ReadOnly));
    const QString text = QString::fromUtf8(recent.readAll());
    QCOMPARE(text.count("<bookmark href=\"file://" + other), 1);
    QVERIFY(text.contains("application/vnd.imprimo.sheet+json") && text.contains("count=\"2\""));
    const QString vectors = s.folder.filePath("short.svf");
    QFile file(vectors);
    QVERIFY(file.open(QIODevice::WriteOnly) && file.write("ENDIR IDLE;\nRUNTEST 10 TCK;\n") > 0);
    file.close();
    QVERIFY(s.window.handedOver(vectors));
    QVERIFY(s.window.findChild<QAction*>("vectorsTab")->isChecked());
    const std::size_t before = s.window.view<ImagesView>().document().files().size();
    QVERIFY(!s.window.handedOver(other));
    QVERIFY(s.window.handedOver(s.folder.filePath("supervisor.elf")));
    QVERIFY(s.window.findChild<QAction*>("imagesTab")->isChecked());
    QCOMPARE(s.window.view<ImagesView>().document().files().size(), before + 1);
  }
};

IMPRIMO_TEST(HelpingTest);
#include "tst_helping.moc"
