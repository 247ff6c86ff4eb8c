// SPDX-License-Identifier: GPL-3.0-or-later
//
// Two stations on one store that are killed again and again: the next start goes on with the next unit, and no number
// is lost or given twice.
#include <signal.h>

#include <list>
#include <random>
#include <set>

#include "records/ledger.h"
#include "tests/line/line_bench.h"
#include "tests/support/program.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using records::UnitState;

namespace {

/// Boards that became a unit; one that was there still and was known again is none.
int newUnits(const QString& told) {
  int count = 0;
  for (const QString& line : told.split('\n')) {
    if (line.contains("\"result\":\"good\"") && !line.contains("\"again\":true")) ++count;
  }
  return count;
}

}  // namespace

class KilledLineTest : public QObject {
  Q_OBJECT
 private slots:
  void theNextStartGoesOnWithTheNextUnit() {
    const ReleasedGauge gauge;
    std::list<SimulatedPlace> places;
    for (int i = 0; i < 2; ++i) places.emplace_back(gauge.benchFile(), sim::FixtureModel{});
    const QString data = QString::fromStdString(dataFolder().parent_path().string());
    const QString store = "sqlite:" + data + "/line.sqlite";
    const auto start = [&](SimulatedPlace& place, const QString& units) {
      auto program = std::make_unique<Program>(
          "imprimoctl",
          QStringList{"--store", store, "line", QString::fromStdString(gauge.file()), "--units", units, "--at",
                      QString::fromStdString(place.address()), "--json"},
          data);
      program->start();
      return program;
    };
    std::mt19937 random(20261130);
    bool set = false;
    const int wanted = qEnvironmentVariableIntValue("IMPRIMO_KILLS", &set);
    int good = 0;
    for (int kill = 0; kill < (set ? wanted : 12); ++kill) {
      std::list<std::unique_ptr<Program>> running;
      for (SimulatedPlace& place : places) running.push_back(start(place, "9"));
      QTest::qWait(static_cast<int>(100 + random() % 1500));
      for (const auto& program : running) {
        const qint64 victim = program->process().processId();
        if (victim > 0) ::kill(static_cast<pid_t>(victim), SIGKILL);
        good += newUnits(program->wait().out);
      }
    }
    for (SimulatedPlace& place : places) {
      const Ended ended = start(place, "2")->wait();
      QVERIFY2(ended.code == 0, qPrintable(ended.err + ended.out));
      good += newUnits(ended.out);
    }
    const sheet::Sheet sheet = sheet::readSheet(gauge.path("gauge-rev-b.imprimo"));
    records::Database database(records::parseStoreAddress(store.toStdString()));
    const units::ValueMaker maker(*sheet.units, sheet.folder());
    std::set<std::string> serials;
    std::map<UnitState, int> states;
    std::uint64_t next = 1;
    for (const records::UnitRow& row : records::Ledger(database, maker).list()) {
      QCOMPARE(row.id, next++);  // none is missing
      QVERIFY(serials.insert(row.fields.at("serial")).second);
      ++states[row.state];
    }
    // What was told as good is used; one that was settled and not told any more may be as well.
    QVERIFY2(good > 0 && states[UnitState::Used] >= good,
             qPrintable(QString("%1 used, %2 told").arg(states[UnitState::Used]).arg(good)));
    qInfo("%d used, %d failed, %d void, %d reserved", states[UnitState::Used], states[UnitState::Failed],
          states[UnitState::Void], states[UnitState::Reserved]);
  }
};

IMPRIMO_TEST(KilledLineTest);
#include "tst_killed_line.moc"
