// SPDX-License-Identifier: GPL-3.0-or-later
//
// Units in the window: the numbers of the next board are seen before anything is written, go in with the one button,
// and what became of the unit is told.
#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QSignalSpy>

#include "app/bench/unit_panel.h"
#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/store/folders.h"
#include "records/ledger.h"
#include "tests/app/float_stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using records::UnitState;

namespace {

constexpr std::uint64_t kAt = 0x7E0000;

std::function<void(QString&)> withUnits(const char* more = "", const char* last = "1999") {
  return [more, last](QString& text) {
    auto json = nlohmann::ordered_json::parse(text.toStdString());
    json["units"] = nlohmann::ordered_json::parse(R"x({"ledger": "window", "fields": [
      {"name": "serial", "memory": "boot-flash", "at": "0x7E0000", "bytes": 4, "from": {"count": "1000", "to": ")x" +
                                                  std::string(last) + R"x("}},
      {"name": "label", "memory": "boot-flash", "at": "0x7E0010", "bytes": 16, "as": "text", "from": {"text": "RG-{serial:06}"}},
      {"name": "key", "memory": "boot-flash", "at": "0x7E0020", "bytes": 16, "as": "bytes", "secret": true, "from": {"random": true}})x" +
                                                  more + "]}");
    text = QString::fromStdString(json.dump(2));
  };
}

std::optional<UnitState> stateOf(const Workbench& bench, std::uint64_t id) {
  records::Database database(records::chosenStore());
  const sheet::Sheet& sheet = bench.document().sheet();
  const units::ValueMaker maker(*sheet.units, sheet.folder());
  records::Ledger ledger(database, maker);
  for (const records::UnitRow& row : ledger.list()) {
    if (row.id == id) return row.state;
  }
  return std::nullopt;
}

/// The float sensor with numbers in a memory beside its program, and in a configuration word.
void numbersAllOver(const QString& folder) {
  std::filesystem::remove_all(store::dataFolder());
  const std::string path = (folder + "/float-sensor.imprimo").toStdString();
  auto json = nlohmann::ordered_json::parse(readTextFile(path));
  json["memories"].push_back(nlohmann::ordered_json::parse(
      R"({"name": "area", "type": "core-flash", "route": {"via": "core", "core": "sensor", "region": "words"}})"));
  json["units"] = nlohmann::ordered_json::parse(R"({"ledger": "all-over", "fields": [
    {"name": "serial", "memory": "area", "at": "0x1FFF0040", "bytes": 4, "from": {"count": "1000", "to": "1999"}},
    {"name": "board", "core": "sensor", "word": "start", "field": "board", "bytes": 1, "from": {"count": "7", "to": "14"}}]})");
  writeFileAtomically(path, json.dump(2));
}

/// A window with a store of its own.
struct UnitStage {
  explicit UnitStage(const std::function<void(QString&)>& change = withUnits()) {
    std::filesystem::remove_all(store::dataFolder());
    stage = std::make_unique<Stage>(std::function<void(QString&)>{}, true, false, change);
  }
  ~UnitStage() {
    stage.reset();
    std::filesystem::remove_all(store::dataFolder());
  }
  UnitModel& units() { return stage->window.bench().units(); }
  std::optional<UnitState> state(std::uint64_t id) { return stateOf(stage->window.bench(), id); }
  bool isPlanned(const char* value) {
    return QTest::qWaitFor(
        [&] {
          RunModel& run = stage->window.bench().run();
          return !units().shown().empty() && units().shown()[0].value == value && !units().isUnderWay() &&
                 run.plan() != nullptr && run.image().at(kAt).has_value() &&
                 stage->window.bench().goAction->isEnabled();
        },
        kPatience);
  }
  bool isDone() {
    return QTest::qWaitFor([&] { return stage->window.bench().run().record() != nullptr && !units().isUnderWay(); },
                           kPatience);
  }

  std::unique_ptr<Stage> stage;
};

}  // namespace

class UnitsTest : public QObject {
  Q_OBJECT
 private slots:
  void theNextBoardsNumbersAreSeenAndGoIn() {
    UnitStage u;
    QVERIFY(u.isPlanned("1000"));
    Workbench& bench = u.stage->window.bench();
    // They are planned bytes like all others, and a secret is nowhere to be seen.
    QCOMPARE(bench.looks().planned().at(kAt), 0xE8);
    QCOMPARE(bench.looks().planned().at(kAt + 0x10), 'R');
    QVERIFY(!bench.looks().planned().at(kAt + 0x20).has_value());
    auto* panel = u.stage->window.findChild<UnitPanel*>();
    QVERIFY(panel->isVisible());
    QCOMPARE(panel->findChild<QCheckBox*>("unitOn")->text(), "Unit 1, the next one");
    QVERIFY(panel->findChild<QLabel*>("unitCounts")->text().contains("1000 left"));
    QVERIFY(!u.state(1).has_value());

    u.stage->click("go");
    QVERIFY(u.isDone());
    QVERIFY2(bench.run().record()->good(), bench.run().record()->message.c_str());
    QCOMPARE(u.stage->cells(kAt, 4), (Bytes{0xE8, 0x03, 0, 0}));
    QVERIFY(u.stage->cells(kAt + 0x20, 16) != Bytes(16, 0xFF));
    QTRY_COMPARE_WITH_TIMEOUT(u.units().last(), QString("Unit 1 is used."), kPatience);
    QCOMPARE(u.state(1), UnitState::Used);
    // The next one is planned by itself; what was done stays in sight.
    QVERIFY(u.isPlanned("1001"));
    QVERIFY(bench.run().record() != nullptr);
    QVERIFY(panel->findChild<QLabel*>("unitCounts")->text().contains("1 used, 999 left"));
    QVERIFY(!bench.looks().contents().at(kAt + 0x20).has_value());

    // The same board keeps its number.
    const Bytes key = u.stage->cells(kAt + 0x20, 16);
    QSignalSpy messages(&bench, &Workbench::message);
    bench.goAction->trigger();
    QTRY_VERIFY_WITH_TIMEOUT(u.units().isUnderWay(), kPatience);
    QTRY_VERIFY_WITH_TIMEOUT(!u.units().isUnderWay() && !bench.run().isRunning(), kPatience);
    QCOMPARE(u.stage->cells(kAt, 2), (Bytes{0xE8, 0x03}));
    QCOMPARE(u.stage->cells(kAt + 0x20, 16), key);
    QVERIFY(!u.state(2).has_value());
    QVERIFY(std::any_of(messages.begin(), messages.end(), [](const auto& each) {
      return each.at(0).toString() == "This board is unit 1, and keeps its numbers.";
    }));
  }

  /// One that lies in several places is one piece of work, whichever of them is looked at: half of it is no unit.
  void aUnitIsWrittenWhole() {
    FloatStage s(numbersAllOver);
    Workbench& bench = s.window.bench();
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    QCOMPARE(bench.memory(), std::string("program"));
    auto* go = s.window.findChild<QAbstractButton*>("go");
    QTRY_COMPARE_WITH_TIMEOUT(go->text(), QString("Write unit 1 whole"), kPatience);
    QVERIFY(!s.window.findChild<QAbstractButton*>("writeAll")->isVisible());
    QTRY_VERIFY_WITH_TIMEOUT(bench.goAction->isEnabled(), kPatience);
    QTest::mouseClick(go, Qt::LeftButton);
    QTRY_COMPARE_WITH_TIMEOUT(bench.units().last(), QString("Unit 1 is used."), kPatience);
    QCOMPARE(stateOf(bench, 1), UnitState::Used);
    QVERIFY(s.demo->with([](sim::Bench& b) {
      sim::CoreChip& chip = b.board().chip();
      return chip.words()->start() == 0xFFFFFF7F && chip.flash()[0x3000] != 0xFF;
    }));
    bench.selectMemory("area");
    QTRY_VERIFY_WITH_TIMEOUT(bench.looks().contents().at(0x1FFF0040) == 0xE8, kPatience);
    QCOMPARE(bench.looks().contents().at(0x1FFF0041), 0x03);
  }

  /// It has failed, and not been used, where one of the places does.
  void aUnitThatIsNotWholeHasFailed() {
    FloatStage s(numbersAllOver);
    Workbench& bench = s.window.bench();
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    QTRY_VERIFY_WITH_TIMEOUT(bench.goAction->isEnabled() && bench.units().id() == 1, kPatience);
    bool stopped = false;
    connect(&bench.session(), &BenchSession::stepStarted, this, [&](int step) {
      const plan::Plan& plan = *bench.run().plan();
      if (plan.memory != "area" || plan.steps.at(static_cast<std::size_t>(step)).kind != plan::StepKind::Write) return;
      stopped = true;
      bench.sequence().stop();
      bench.session().stop();
    });
    bench.goAction->trigger();
    QTRY_COMPARE_WITH_TIMEOUT(bench.units().last(), QString("Unit 1 is failed."), kPatience);
    QVERIFY(stopped);
    QCOMPARE(stateOf(bench, 1), UnitState::Failed);
  }

  void withoutTheTickTheyAreLeftAlone() {
    UnitStage u;
    QVERIFY(u.isPlanned("1000"));
    u.stage->find<QCheckBox>("unitOn")->click();
    QTRY_VERIFY_WITH_TIMEOUT(!u.stage->window.bench().run().image().at(kAt).has_value() &&
                                 u.stage->window.bench().goAction->isEnabled() &&
                                 u.stage->window.bench().run().plan() != nullptr,
                             kPatience);
    u.stage->click("go");
    QVERIFY(u.isDone());
    QCOMPARE(u.stage->cells(kAt, 4), Bytes(4, 0xFF));
    QVERIFY(!u.state(1).has_value());
  }

  void whatIsTypedGoesIn() {
    UnitStage u(withUnits(R"(, {"name": "code", "memory": "boot-flash", "at": "0x7E0040", "bytes": 8, "as": "text",
                        "from": {"given": true, "pattern": "[A-Z]{2}[0-9]{4}"}})"));
    QTRY_VERIFY_WITH_TIMEOUT(u.units().problem().contains("field code of the unit is given by hand"), kPatience);
    QVERIFY(u.isPlanned("1000"));
    u.stage->click("go");
    QTest::qWait(200);
    QVERIFY(!u.state(1).has_value());  // nothing was begun
    auto* code = u.stage->find<QLineEdit>("unitGiven");
    code->setFocus();
    QTest::keyClicks(code, "ab");
    QTest::keyClick(code, Qt::Key_Return);
    QTRY_VERIFY_WITH_TIMEOUT(u.units().problem().contains("does not fit the pattern"), kPatience);
    code->clear();
    QTest::keyClicks(code, "AB1234");
    QTest::keyClick(code, Qt::Key_Return);
    QTRY_VERIFY_WITH_TIMEOUT(u.units().problem().isEmpty(), kPatience);
    QVERIFY(u.isPlanned("1000"));
    u.stage->click("go");
    QVERIFY(u.isDone());
    QCOMPARE(u.stage->cells(kAt + 0x40, 8), (Bytes{'A', 'B', '1', '2', '3', '4', 0, 0}));
    QTRY_VERIFY_WITH_TIMEOUT(
        u.stage->find<QLineEdit>("unitGiven")->text().isEmpty() || u.stage->find<QLineEdit>("unitGiven")->hasFocus(),
        kPatience);
  }

  void whatStopsTheLineIsSaid() {
    UnitStage u(withUnits("", "1000"));
    QVERIFY(u.isPlanned("1000"));
    u.stage->click("go");
    QVERIFY(u.isDone());
    QTRY_VERIFY_WITH_TIMEOUT(u.units().problem().contains("has no more units: serial ends at 1000"), kPatience);
    QVERIFY(u.stage->find<QLabel>("unitProblem")->isVisible());
    const std::uint64_t erases = u.stage->erases();
    u.stage->window.bench().goAction->trigger();
    QTest::qWait(200);
    QCOMPARE(u.stage->erases(), erases);
  }

  void aStopSettlesTheUnit() {
    UnitStage u;
    QVERIFY(u.isPlanned("1000"));
    Workbench& bench = u.stage->window.bench();
    connect(&bench.session(), &BenchSession::stepStarted, this, [&](int step) {
      if (bench.run().plan()->steps.at(static_cast<std::size_t>(step)).kind == plan::StepKind::Erase)
        bench.session().stop();
    });
    bench.goAction->trigger();
    QVERIFY(u.isDone());
    QVERIFY(!bench.run().record()->good());
    QTRY_VERIFY_WITH_TIMEOUT(u.state(1).has_value() && *u.state(1) != UnitState::Reserved, kPatience);
    QCOMPARE(u.state(1), bench.run().record()->changed ? UnitState::Failed : UnitState::Void);
  }
};

IMPRIMO_TEST(UnitsTest);
#include "tst_units.moc"
