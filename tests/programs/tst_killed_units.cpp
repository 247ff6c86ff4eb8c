// SPDX-License-Identifier: GPL-3.0-or-later
//
// Runs of units that end anywhere: killed, without power, without a link, without a store. Whatever ended one, its
// number is used, failed or void, or still reserved with nothing written; and the note of the unfinished run and the
// ledger agree.
#include <signal.h>

#include <atomic>
#include <random>

#include "records/ledger.h"
#include "sim/bench_server.h"
#include "tests/support/check.h"
#include "tests/support/program.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::test;
using records::UnitState;

namespace {

constexpr std::uint64_t kAt = 0x3000;

WorldOptions withUnits(bool uniqueId) {
  WorldOptions o;
  o.flash = quickFlash("256K") + (uniqueId ? R"(, "unique_id": "0x0011223344556677")" : "");
  o.sheet = R"x(, "units": {"ledger": "killed", "fields": [
      {"name": "serial", "memory": "boot-flash", "at": "0x3000", "bytes": 4, "from": {"count": 1000, "to": 1999}},
      {"name": "key", "memory": "boot-flash", "at": "0x3010", "bytes": 8, "as": "bytes", "secret": true, "from": {"random": true}}]})x";
  return o;
}

/// A board that gets a unit's numbers from a real process, which ends at one of the packets.
class Scene {
 public:
  explicit Scene(bool uniqueId) : world_(withUnits(uniqueId)), old_(bytesOf(1, 0x8000)) {
    world_.fill(0, old_);
    sim::ServerOptions options;
    options.beforePacket = [this](std::uint64_t number) {
      if (number == endAt_ && kills_) ::kill(victim_, SIGKILL);
      if (number == endAt_ && !kills_) ::kill(victim_, SIGINT);
    };
    server_ = std::make_unique<sim::BenchServer>(world_.sim(), options);
  }
  Ended program(std::uint64_t at = UINT64_MAX, bool kills = true, const QString& store = {}) {
    Program program(
        "imprimoctl",
        {"--probe", QString::fromStdString(server_->address()), "--store", store.isEmpty() ? this->store() : store,
         "program", world_.path("sheet.imprimo"), "--unit", "next", "--finish-earlier"},
        world_.path("data"));
    kills_ = kills;
    program.start();
    victim_ = static_cast<pid_t>(program.process().processId());
    endAt_ = at;
    return program.wait();
  }
  QString store() const { return "sqlite:" + world_.path("line.sqlite"); }
  std::uint64_t packets() {
    return server_->with([](sim::Bench& bench) { return bench.packets(); });
  }
  void cutPower() {
    server_->with([](sim::Bench& bench) { bench.board().cyclePower(); });
  }
  Bytes cells(std::uint64_t begin, std::uint64_t size) {
    return server_->with([&](sim::Bench&) { return world_.cells(begin, size); });
  }
  bool isAsItWas() { return cells(0, 0x8000) == old_; }
  std::vector<records::UnitRow> units() {
    records::Database database(records::parseStoreAddress(store().toStdString()));
    const sheet::Sheet sheet = sheet::readSheet(world_.path("sheet.imprimo").toStdString());
    const units::ValueMaker maker(*sheet.units, sheet.folder());
    return records::Ledger(database, maker).list();
  }
  /// The text of the note of a run that did not end; empty where there is none.
  std::string note() {
    std::string text;
    std::error_code none;
    for (const auto& entry :
         std::filesystem::directory_iterator(world_.path("data").toStdString() + "/imprimo/unfinished", none))
      text += readTextFile(entry.path());
    return text;
  }

 private:
  World world_;
  Bytes old_;
  std::atomic<pid_t> victim_{0};
  std::atomic<bool> kills_{true};
  std::atomic<std::uint64_t> endAt_{UINT64_MAX};
  std::unique_ptr<sim::BenchServer> server_;
};

}  // namespace

class KilledUnitsTest : public QObject {
  Q_OBJECT
 private slots:
  void whateverEndsARunItsNumberIsAccountedFor() {
    Scene clean(true);
    ENDED(clean.program(), 0);
    QCOMPARE(clean.units().size(), 1U);
    QCOMPARE(clean.units()[0].state, UnitState::Used);
    QVERIFY(clean.note().empty());
    const std::uint64_t packets = clean.packets();
    bool set = false;
    const int wanted = qEnvironmentVariableIntValue("IMPRIMO_KILLS", &set);
    const std::uint64_t places = set ? static_cast<std::uint64_t>(wanted) : 40;
    std::map<UnitState, int> states;
    for (std::uint64_t i = 0; i < places; ++i) {
      const bool uniqueId = i % 2 == 0, kills = i % 4 != 3;
      const std::uint64_t at = 1 + (i * (packets - 1) / places + i) % packets;
      Scene scene(uniqueId);
      const Ended ended = scene.program(at, kills);
      const auto units = scene.units();
      const QString what = QString("%1 at packet %2 of %3: exit %4, %5 units, %6")
                               .arg(kills ? "killed" : "stopped")
                               .arg(at)
                               .arg(packets)
                               .arg(ended.code)
                               .arg(units.size())
                               .arg(ended.err);
      QVERIFY2(units.size() <= 1, qPrintable(what));
      if (units.empty()) {
        QVERIFY2(scene.isAsItWas(), qPrintable(what));  // it ended before it had a number
        continue;
      }
      const UnitState state = units[0].state;
      ++states[state];
      // What may have been written is said to be, and nothing else is.
      if (state == UnitState::Reserved || state == UnitState::Void) {
        QVERIFY2(scene.isAsItWas() && scene.note().empty(), qPrintable(what));
      }
      if (!kills) QVERIFY2(state != UnitState::Reserved, qPrintable(what));
      if (ended.code == 0) QVERIFY2(state == UnitState::Used, qPrintable(what));
      if (!scene.note().empty()) {
        QVERIFY2(state == UnitState::Failed, qPrintable(what + QString::fromStdString(scene.note())));
        QVERIFY2(scene.note().find("\"ledger\": \"killed\"") != std::string::npos, scene.note().c_str());
      }
      if (i % 3 == 0) scene.cutPower();
      // The same board again: it gets numbers, and none of them twice.
      const Ended next = scene.program();
      QVERIFY2(next.code == 0, qPrintable(what + next.err));
      std::uint64_t used = 0;
      for (const records::UnitRow& row : scene.units()) {
        if (row.state == UnitState::Used) used = row.id;
      }
      QVERIFY2(used != 0, qPrintable(what));
      const auto serial = static_cast<std::uint16_t>(999 + used);
      QCOMPARE(scene.cells(kAt, 2),
               (Bytes{static_cast<std::uint8_t>(serial & 0xFF), static_cast<std::uint8_t>(serial >> 8)}));
      QVERIFY2(scene.units().size() <= 2, qPrintable(what));
      // Where the ledger knows the board by its unique ID, it keeps its number whatever happened.
      if (!units[0].board.empty() && state != UnitState::Void) QCOMPARE(scene.units().size(), 1U);
    }
    qInfo("reserved %d, used %d, failed %d, void %d", states[UnitState::Reserved], states[UnitState::Used],
          states[UnitState::Failed], states[UnitState::Void]);
    QVERIFY(states[UnitState::Failed] > 3);
    QVERIFY(states[UnitState::Reserved] + states[UnitState::Void] > 0);
  }

  void withoutAStoreNothingIsWritten() {
    Scene scene(true);
    const Ended ended = scene.program(UINT64_MAX, true, "postgresql:host=/nowhere dbname=x");
    QCOMPARE(ended.code, 3);
    QVERIFY(scene.isAsItWas());
  }
};
IMPRIMO_TEST(KilledUnitsTest);
#include "tst_killed_units.moc"
