// SPDX-License-Identifier: GPL-3.0-or-later
//
// The store, on both kinds of it: reservations by 16 clients beside plain inserts of the same run, and searches among a
// million records. IMPRIMO_STORE_RECORDS asks for another number of them.
#include <benchmark/benchmark.h>

#include <chrono>
#include <cstdlib>
#include <thread>

#include "records/record_store.h"
#include "tests/records/ledger_world.h"
#include "tests/records/postgres.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;
using Clock = std::chrono::steady_clock;

constexpr int kClients = 16, kEach = 150;

/// A store with nothing in it; empty where there is no server to be had.
struct FreshStore {
  explicit FreshStore(bool server) {
    if (!server) {
      name = world.store();
    } else if (PostgresServer::isInstalled()) {
      running = std::make_unique<PostgresServer>();
      name = running->freshStore();
    }
  }
  LedgerWorld world;
  std::unique_ptr<PostgresServer> running;
  std::string name;
};

double secondsOf(const std::function<void()>& act) {
  const auto begin = Clock::now();
  act();
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

/// All clients at once, each with its own connection.
double together(const std::string& store, const std::function<void(records::Database&, int client)>& act) {
  std::vector<std::unique_ptr<std::thread>> threads;
  std::atomic<int> ready = 0;
  std::atomic<bool> go = false;
  for (int i = 0; i < kClients; ++i) {
    threads.push_back(std::make_unique<std::thread>([&, i] {
      records::Database database(records::parseStoreAddress(store));
      ++ready;
      while (!go) std::this_thread::yield();
      act(database, i);
    }));
  }
  while (ready < kClients) std::this_thread::yield();
  return secondsOf([&] {
    go = true;
    for (const auto& each : threads) each->join();
  });
}

void BM_Reserve(benchmark::State& state) {
  for (auto _ : state) {
    const FreshStore fresh(state.range(0) != 0);
    if (fresh.name.empty()) return state.SkipWithError("the PostgreSQL server is not installed");
    const units::ValueMaker maker(definitionOf(gaugeUnits("99999999")), ".");
    records::Database(records::parseStoreAddress(fresh.name)).run("CREATE TABLE plain (text TEXT NOT NULL)");
    const double reserving = together(fresh.name, [&](records::Database& database, int client) {
      records::Ledger ledger(database, maker);
      for (int n = 0; n < kEach; ++n) ledger.reserve(1, {}, std::to_string(client) + "-" + std::to_string(n));
    });
    const double plain = together(fresh.name, [](records::Database& database, int) {
      for (int n = 0; n < kEach; ++n)
        database.transaction(
            [&] { database.run("INSERT INTO plain (text) VALUES (?)", {"a reservation is a row like this"}); });
    });
    constexpr double kAll = kClients * kEach;
    state.counters["reservations_per_s"] = kAll / reserving;
    state.counters["plain_inserts_per_s"] = kAll / plain;
    state.counters["reservation_vs_insert"] = reserving / plain;
  }
}

/// Rows are made by the store itself, like those that runs leave.
void fillWith(records::Database& database, std::int64_t count) {
  const bool sqlite = database.isSqlite();
  const std::string numbers = sqlite ? "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ?) "
                                     : "WITH n (i) AS (SELECT generate_series(1, CAST(? AS BIGINT))) ";
  const std::string day = sqlite ? "date('2031-01-01', '+' || (i % 365) || ' days')"
                                 : "to_char(DATE '2031-01-01' + CAST(i % 365 AS INTEGER), 'YYYY-MM-DD')";
  const std::string clock =
      sqlite
          ? "printf('T%02d:%02d:%02dZ', i % 24, i % 60, (i / 60) % 60)"
          : "to_char(i % 24, '\"T\"FM00\":\"') || to_char(i % 60, 'FM00\":\"') || to_char((i / 60) % 60, 'FM00\"Z\"')";
  database.transaction([&] {
    database.run(
        numbers +
            "INSERT INTO run (id, started, zone, seconds, station, person, sheet, title, target, ledger, unit, result, "
            "good, step, bytes, message, record) SELECT 'id-' || i, " +
            day + " || " + clock +
            ", 60, 12.5, 'station-' || (i % 8), 'somebody', '/line/gauge.imprimo', CASE WHEN i % 3 = 0 THEN "
            "'Correlator' "
            "ELSE 'River gauge' END, 'boot-flash', 'gauge-2026', i, CASE WHEN i % 20 = 7 THEN 'stopped' ELSE "
            "'verified' END, CASE WHEN i % 20 = 7 THEN 0 ELSE 1 END, CASE WHEN i % 20 = 7 THEN 'Erase' ELSE '' END, "
            "4096, 'All of it is confirmed.', '{\"imprimo_record\": 1}' FROM n",
        {count});
    database.run(
        "INSERT INTO run_value (value, started, id) SELECT CAST(1000000 + unit AS TEXT), started, id FROM run");
    database.run(
        "INSERT INTO day_count (day, title, station, result, step, runs, good, seconds) SELECT substr(started, 1, 10), "
        "title, "
        "station, result, step, count(*), sum(good), sum(seconds) FROM run GROUP BY 1, 2, 3, 4, 5");
    database.run("INSERT INTO ledger (name, fields, opened, next) VALUES (?, '[]', '', 1)", {"gauge-2026"});
  });
  database.run("ANALYZE");
}

void BM_Search(benchmark::State& state) {
  const char* asked = std::getenv("IMPRIMO_STORE_RECORDS");
  const std::int64_t count = asked != nullptr ? std::atoll(asked) : 1'000'000;
  const FreshStore fresh(state.range(0) != 0);
  if (fresh.name.empty()) return state.SkipWithError("the PostgreSQL server is not installed");
  records::Database database(records::parseStoreAddress(fresh.name));
  fillWith(database, count);
  records::RecordStore store(database);
  const records::Search searches[] = {{},
                                      {"1500042", "", "", "", "", ""},
                                      {"42", "", "", "", "", ""},
                                      {"", "Correlator", "station-3", "bad", "", ""},
                                      {"", "Nothing", "", "", "", ""},
                                      {"", "River gauge", "station-1", "", "2031-03-01", "2031-03-31"},
                                      {"", "", "", "stopped", "2031-12-30", ""}};
  for (auto _ : state) {
    double slowest = 0;
    for (const records::Search& search : searches) {
      slowest = std::max(slowest, secondsOf([&] {
                           store.find(search, 200);
                           store.count(search);
                           store.days(search);
                           store.failures(search);
                         }));
    }
    // From the middle of the list on.
    slowest = std::max(slowest, secondsOf([&] { store.find({}, 200, {"2031-06-15T12:00:00Z", "id-5"}); }));
    state.counters["slowest_ms"] = slowest * 1000;
    state.counters["records"] = static_cast<double>(count);
  }
}

BENCHMARK(BM_Reserve)->Name("Store/reserve/server")->Arg(0)->Arg(1)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Search)->Name("Store/search/server")->Arg(0)->Arg(1)->Iterations(3)->Unit(benchmark::kMillisecond);

}  // namespace
