// SPDX-License-Identifier: GPL-3.0-or-later
//
// Many processes on one ledger: killed at any moment, their server killed too, with clocks that go back. No value is
// given twice, and none is lost without a row.
#include <signal.h>

#include <QElapsedTimer>
#include <QFile>
#include <QProcess>
#include <random>
#include <set>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "tests/records/ledger_world.h"
#include "tests/records/postgres.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

constexpr std::size_t kStations = 16;

/// Reservations that are asked for, and how often the server is killed meanwhile: one for each thousand. The nightly
/// run asks for 20 000.
int wantedReservations() {
  const int asked = qEnvironmentVariableIntValue("IMPRIMO_LEDGER_RESERVATIONS");
  return asked > 0 ? asked : 4000;
}

class Stations {
 public:
  Stations(LedgerWorld& world, std::string store) : world_(world), store_(std::move(store)) {
    writeFileAtomically(world_.file("units.json"), gaugeUnits("99999999", ""));
  }
  ~Stations() {
    for (const auto& each : processes_) {
      each->kill();
      each->waitForFinished();
    }
  }
  void start() {
    auto process = std::make_unique<QProcess>();
    process->setProcessChannelMode(QProcess::ForwardedErrorChannel);
    process->start(IMPRIMO_LEDGER_WORKER,
                   {QString::fromStdString(store_), QString::fromStdString(world_.file("units.json").string()),
                    "1000000", QString::fromStdString(world_.file("given.txt").string())});
    process->waitForStarted();
    processes_.push_back(std::move(process));
  }
  /// One of them ends as by a loss of power, and another takes its place.
  void killOne(std::mt19937& random) {
    const std::size_t which = below(random, processes_.size());
    end(*processes_[which]);
    // Those that ended by themselves found no server when they began.
    std::erase_if(processes_, [](const auto& each) { return each->state() == QProcess::NotRunning; });
    while (processes_.size() < kStations) start();
  }
  void stop() {
    for (const auto& each : processes_) end(*each);
    processes_.clear();
  }
  /// What was given out, as the stations wrote it down: units with their serial numbers.
  std::vector<std::pair<std::uint64_t, std::string>> given() const {
    std::vector<std::pair<std::uint64_t, std::string>> given;
    QFile file(QString::fromStdString(world_.file("given.txt").string()));
    if (!file.open(QIODevice::ReadOnly)) return given;
    for (const QByteArray& line : file.readAll().split('\n')) {
      const QList<QByteArray> words = line.split(' ');
      if (words.size() == 2) given.emplace_back(words[0].toULongLong(), words[1].toStdString());
    }
    return given;
  }
  qint64 size() const { return QFile(QString::fromStdString(world_.file("given.txt").string())).size(); }

 private:
  /// As by a loss of power.
  static void end(QProcess& process) {
    if (process.processId() > 0) ::kill(static_cast<pid_t>(process.processId()), SIGKILL);
    process.waitForFinished();
  }

  LedgerWorld& world_;
  std::string store_;
  std::vector<std::unique_ptr<QProcess>> processes_;
};

/// Every number from the first to the last that was set out is in a row, and none was given to two.
void verifyLedger(const std::string& store, const std::vector<std::pair<std::uint64_t, std::string>>& given) {
  std::set<std::uint64_t> ids;
  std::set<std::string> serials;
  for (const auto& [id, serial] : given) {
    QVERIFY2(ids.insert(id).second, qPrintable(QString("unit %1 was given twice").arg(id)));
    QVERIFY2(serials.insert(serial).second, serial.c_str());
    QCOMPARE(QString::fromStdString(serial), QString::number(999 + id));
  }
  records::Database database(records::parseStoreAddress(store));
  const auto numbers = [&](const char* sql) { return database.run(sql)[0][0].number(); };
  // What a station asked for before it was killed is still carried out by the server.
  if (!database.isSqlite()) {
    QTRY_COMPARE_WITH_TIMEOUT(
        numbers("SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND pid <> "
                "pg_backend_pid()"),
        0U, 20'000);
  }
  const std::uint64_t set = numbers("SELECT next - 1 FROM ledger");
  QCOMPARE(numbers("SELECT count(*) FROM unit"), set);
  QCOMPARE(numbers("SELECT max(id) FROM unit"), set);
  const std::uint64_t reserved = numbers("SELECT count(*) FROM unit WHERE state = 'reserved'");
  // Whoever was killed between the store and its own list left a reservation that an engineer can void.
  QVERIFY2(reserved >= ids.size(), qPrintable(QString("%1 reserved, %2 given").arg(reserved).arg(ids.size())));
  QCOMPARE(numbers("SELECT count(*) FROM unit_event"), reserved);
  QCOMPARE(numbers("SELECT count(DISTINCT id) FROM unit_event"), reserved);
  QCOMPARE(numbers("SELECT count(*) FROM unit WHERE state = 'reserved' AND fields LIKE '%serial%'"), reserved);
  for (const std::uint64_t id : ids)
    QVERIFY(!database.run("SELECT 1 FROM unit WHERE id = ? AND state = 'reserved'", {id}).empty());
}

}  // namespace

class StationsTest : public QObject {
  Q_OBJECT
 private slots:
  void sixteenOnOneFile() {
    LedgerWorld world;
    Stations stations(world, world.store());
    std::mt19937 random(24);
    for (std::size_t i = 0; i < kStations; ++i) stations.start();
    QElapsedTimer timer;
    timer.start();
    while (stations.given().size() < static_cast<std::size_t>(wantedReservations())) {
      QTest::qWait(50);
      stations.killOne(random);
      QVERIFY2(timer.elapsed() < 300'000, "it takes too long");
    }
    stations.stop();
    verifyLedger(world.store(), stations.given());
  }

  void sixteenOnOneServer() {
    if (!PostgresServer::isInstalled()) QSKIP("the PostgreSQL server is not installed; ./run test installs it");
    PostgresServer server;
    LedgerWorld world;
    const std::string store = server.freshStore();
    Stations stations(world, store);
    std::mt19937 random(24);
    for (std::size_t i = 0; i < kStations; ++i) stations.start();
    const int kills = std::max(1, wantedReservations() / 1000);
    int killed = 0;
    QElapsedTimer timer;
    timer.start();
    const auto wanted = static_cast<std::size_t>(wantedReservations());
    for (std::size_t given = 0; given < wanted || killed < kills; given = stations.given().size()) {
      QTest::qWait(50);
      stations.killOne(random);
      if (killed < kills && given > wanted * static_cast<std::size_t>(killed) / static_cast<std::size_t>(kills) / 2) {
        server.kill();
        ++killed;
        server.start();
      }
      QVERIFY2(timer.elapsed() < 400'000, qPrintable(QString("%1 given, %2 kills").arg(given).arg(killed)));
    }
    stations.stop();
    QCOMPARE(killed, kills);
    verifyLedger(store, stations.given());
  }
};

IMPRIMO_TEST(StationsTest);
#include "tst_stations.moc"
