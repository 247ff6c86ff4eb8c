// SPDX-License-Identifier: GPL-3.0-or-later
//
// The records in the window: searched, read, compared, exported.
#include <fmt/format.h>

#include <QComboBox>
#include <QListView>
#include <QScrollBar>
#include <QSignalSpy>
#include <QTextBrowser>

#include "app/records/records_view.h"
#include "core/store/folders.h"
#include "records/store_seams.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

records::KeptRecord made(int n) {
  run::Record record;
  record.memory = n % 5 == 0 ? "sensor-flash" : "boot-flash";
  record.title = n % 4 == 0 ? "Correlator" : "River gauge";
  record.startedAt = fmt::format("2031-{:02}-{:02}T{:02}:{:02}:00Z", n % 3 + 1, n % 20 + 1, n % 24, n % 60);
  record.outcome = n % 10 == 3 ? run::Outcome::Stopped : run::Outcome::Verified;
  record.message = n % 10 == 3 ? "0x003000 did not erase." : "All of it is confirmed.";
  record.seconds = 3 + n % 4;
  run::RanStep step;
  step.step.title = n % 10 == 3 ? "Erase 3 blocks" : "Read back";
  step.seconds = 1.5;
  step.finished = record.good();
  record.steps.push_back(step);
  record.unit =
      units::Unit{"gauge-2026", static_cast<std::uint64_t>(n), "used", {{"serial", std::to_string(1000 + n)}}};
  record.erased = {{0x3000, 0x6000}};
  return records::keptNow(record);
}

struct RecordStage {
  explicit RecordStage(int count = 500) {
    std::filesystem::remove_all(store::dataFolder());
    records::Database database(records::chosenStore());
    std::vector<records::KeptRecord> all;
    for (int n = 1; n <= count; ++n) all.push_back(made(n));
    records::RecordStore(database).keepAll(all);
    window.resize(1280, 800);
    window.show();
    window.activateWindow();
    [[maybe_unused]] const bool active = QTest::qWaitForWindowActive(&window);
    QTest::keyClick(&window, Qt::Key_7, Qt::ControlModifier);
    view = window.findChild<RecordsView*>();
  }
  ~RecordStage() { std::filesystem::remove_all(store::dataFolder()); }
  bool shows(std::uint64_t count) {
    return QTest::qWaitFor([&] { return view->records().isRead() && view->records().total() == count; }, kPatience);
  }
  QString page() { return view->findChild<QTextBrowser*>("recordPage")->toPlainText(); }
  template <typename T>
  T* find(const char* name) {
    return view->findChild<T*>(name);
  }

  MainWindow window{viewTable()};
  RecordsView* view = nullptr;
  QTemporaryDir folder;
};

}  // namespace

class RecordsViewTest : public QObject {
  Q_OBJECT
 private slots:
  void runsAreSearched() {
    RecordStage s;
    QVERIFY(s.view->isVisible());
    QVERIFY(s.shows(500));
    auto* result = s.find<QComboBox>("recordResult");
    result->setCurrentText("bad");
    QVERIFY(s.shows(50));
    s.find<QComboBox>("recordTitle")->setCurrentText("Correlator");
    QVERIFY(s.shows(0));
    QVERIFY(s.find<QLabel>("recordsEmpty")->isVisible());
    QTest::keyClick(s.view, Qt::Key_Escape);
    QVERIFY(s.shows(500));
    auto* unit = s.find<QLineEdit>("recordUnit");
    unit->setFocus();
    QTest::keyClicks(unit, "1042");
    QTest::keyClick(unit, Qt::Key_Return);
    QVERIFY(s.shows(1));
    QTRY_VERIFY_WITH_TIMEOUT(s.page().contains("1042"), kPatience);
    unit->clear();
    QVERIFY(s.shows(500));
    auto* from = s.find<QLineEdit>("recordFrom");
    QTest::keyClicks(from, "soon");
    QTest::keyClick(from, Qt::Key_Return);
    QCOMPARE(from->property("role").toString(), "trouble");
    QVERIFY(s.shows(500));
  }

  void theListLoadsPageByPage() {
    RecordStage s(900);
    QVERIFY(s.shows(900));
    auto* list = s.find<QListView>("recordList");
    QVERIFY(s.view->records().rowCount() < 900);
    QTRY_VERIFY_WITH_TIMEOUT(
        [&] {
          list->scrollToBottom();
          QTest::qWait(10);
          return s.view->records().rowCount() == 900;
        }(),
        kPatience);
    std::set<std::string> ids;
    for (int row = 0; row < 900; ++row) ids.insert(s.view->records().record(row).id);
    QCOMPARE(ids.size(), 900U);
  }

  void oneRecordIsAPageAndTwoAreCompared() {
    RecordStage s;
    QVERIFY(s.shows(500));
    auto* list = s.find<QListView>("recordList");
    QTRY_VERIFY_WITH_TIMEOUT(
        s.page().contains("SHA") || s.page().contains("River gauge") || s.page().contains("Correlator"), kPatience);
    list->setFocus();
    QTest::keyClick(list, Qt::Key_Home);
    QTest::keyClick(list, Qt::Key_Down);
    const QString title = QString::fromStdString(s.view->records().record(1).title);
    QTRY_VERIFY_WITH_TIMEOUT(s.page().contains(title) && s.page().contains("Steps"), kPatience);
    QTest::keyClick(list, Qt::Key_Down, Qt::ShiftModifier);
    QTRY_VERIFY2(s.page().startsWith("Two runs"), qPrintable(s.page()));
    QVERIFY(s.page().contains("Result"));
  }

  void aDayIsChosen() {
    RecordStage s;
    QVERIFY(s.shows(500));
    auto* days = s.find<DayStrip>("dayStrip");
    QTest::mouseClick(days, Qt::LeftButton, {}, days->columnOf("2031-03-09").center());
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QLineEdit>("recordFrom")->text(), QString("2031-03-09"), kPatience);
    QTRY_VERIFY_WITH_TIMEOUT(s.view->records().total() < 20 && s.view->records().total() > 0, kPatience);
    for (int row = 0; row < s.view->records().rowCount(); ++row)
      QVERIFY(s.view->records().record(row).started.starts_with("2031-03-09"));
    days->setFocus();
    QTest::keyClick(days, Qt::Key_Right);
    QTRY_COMPARE_WITH_TIMEOUT(s.find<QLineEdit>("recordFrom")->text(), QString("2031-03-10"), kPatience);
    QTest::keyClick(days, Qt::Key_Escape);
    QVERIFY(s.shows(500));
    s.find<QToolButton>("recordFigures")->click();
    QVERIFY(s.find<Figures>("figures")->isVisible());
    QTRY_VERIFY_WITH_TIMEOUT(s.find<QLabel>("figureWords")->text().startsWith("450 of 500 runs good (90.0 %)"),
                             kPatience);
    QVERIFY(s.find<QLabel>("failedSteps")->text().contains("Erase 3 blocks"));
  }

  void whatIsFoundIsExported() {
    RecordStage s;
    QVERIFY(s.shows(500));
    s.find<QComboBox>("recordResult")->setCurrentText("bad");
    QVERIFY(s.shows(50));
    QSignalSpy exported(&s.view->records(), &RecordsModel::exported);
    s.view->exportTo(s.folder.filePath("bad.csv"));
    QTRY_COMPARE_WITH_TIMEOUT(exported.size(), 1, kPatience);
    QFile csv(s.folder.filePath("bad.csv"));
    QVERIFY(csv.open(QIODevice::ReadOnly));
    QCOMPARE(csv.readAll().count('\n'), 51);
    QTRY_VERIFY_WITH_TIMEOUT(s.page().contains("Steps"), kPatience);
    s.view->exportTo(s.folder.filePath("one.pdf"));
    QFile pdf(s.folder.filePath("one.pdf"));
    QVERIFY(pdf.open(QIODevice::ReadOnly));
    QVERIFY(pdf.read(5) == "%PDF-" && pdf.size() > 3000);
    s.view->exportTo("/nowhere/one.csv");
    QTRY_COMPARE_WITH_TIMEOUT(exported.size(), 2, kPatience);
    QVERIFY(exported.at(1).at(1).toBool());
  }

  void anotherStoreIsChosen() {
    RecordStage s;
    QVERIFY(s.shows(500));
    const auto choose = [&](const QString& store) {
      s.find<QToolButton>("changeStore")->click();
      auto* edit = s.find<QLineEdit>("storeAddress");
      edit->setText(store);
      QTest::keyClick(edit, Qt::Key_Return);
      return edit;
    };
    QVERIFY(choose("nothing:x")->isVisible());  // it says why, and stays
    s.find<QToolButton>("changeStore")->click();
    choose("sqlite:" + s.folder.filePath("other.sqlite"));
    QVERIFY(s.shows(0));
    QTRY_VERIFY_WITH_TIMEOUT(s.find<QLabel>("recordStore")->text().contains("other.sqlite"), kPatience);
    choose("postgresql:host=/nowhere dbname=x");
    QTRY_VERIFY_WITH_TIMEOUT(s.find<QLabel>("recordsEmpty")->text().contains("cannot be reached"), kPatience);
    choose("");
    QVERIFY(s.shows(500));
  }

  void aRunOfTheBenchComesIn() {
    std::filesystem::remove_all(store::dataFolder());
    {
      Stage s;
      QVERIFY(s.untilPlanned());
      s.window.bench().goAction->trigger();
      QVERIFY(s.untilDone());
      s.window.activateWindow();
      QVERIFY(QTest::qWaitForWindowActive(&s.window));
      QTest::keyClick(&s.window, Qt::Key_7, Qt::ControlModifier);
      auto* view = s.window.findChild<RecordsView*>();
      QTRY_VERIFY_WITH_TIMEOUT(view->records().total() >= 2, kPatience);
      QCOMPARE(view->records().record(0).target, std::string("boot-flash"));
      QTRY_VERIFY_WITH_TIMEOUT(view->findChild<QTextBrowser*>("recordPage")->toPlainText().contains("Planned, SHA-256"),
                               kPatience);
    }
    std::filesystem::remove_all(store::dataFolder());
  }
};

IMPRIMO_TEST(RecordsViewTest);
#include "tst_records_view.moc"
