// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "records/record_export.h"
#include "records/record_store.h"
#include "records/schema.h"
#include "records/store_seams.h"
#include "tests/records/each_store.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using records::Database;
using records::RecordStore;
using records::Search;

namespace {

/// One of many runs of some sheets on some stations, over a year.
records::KeptRecord recordNumbered(std::uint64_t n) {
  run::Record record;
  record.memory = "boot-flash";
  record.title = n % 3 == 0 ? "River gauge" : "Correlator";
  const std::uint64_t day = n % 336;
  record.startedAt =
      fmt::format("2031-{:02}-{:02}T{:02}:{:02}:{:02}Z", day / 28 + 1, day % 28 + 1, n % 24, n % 60, n / 60 % 60);
  record.outcome = n % 20 == 7 ? run::Outcome::Stopped : run::Outcome::Verified;
  if (n % 20 == 7) record.error = ErrorKind::NotProgrammed;
  record.message = "A sentence, with a comma and \"quotes\".";
  record.seconds = 2.5;
  record.bytes = 4096;
  run::RanStep step;
  step.step.title = n % 2 == 0 ? "Erase" : "Program";
  step.finished = record.good();
  record.steps.push_back(step);
  record.unit = units::Unit{"gauge-2026", n, "used", {{"serial", std::to_string(100'000 + n)}}};
  records::KeptRecord kept = records::keptNow(record);
  kept.station = fmt::format("station-{}", n % 4);
  return kept;
}

/// A plan is asked for with the values in place: there are no prepared explanations.
std::string withValues(std::string sql, const records::Row& values) {
  for (const records::Cell& value : values) {
    const std::string text = value.text().empty() ? std::to_string(value.number()) : "'" + value.text() + "'";
    sql.replace(sql.find('?'), 1, text);
  }
  return sql;
}

void fill(RecordStore& store, std::uint64_t count) {
  std::vector<records::KeptRecord> some;
  for (std::uint64_t n = 1; n <= count; ++n) some.push_back(recordNumbered(n));
  QCOMPARE(store.keepAll(some), count);
}

}  // namespace

class RecordStoreTest : public EachStore {
  Q_OBJECT
 private slots:
  void recordsAreFoundByAnything_data() { stores(); }
  void recordsAreFoundByAnything() {
    QFETCH(const bool, server);
    Database database(records::parseStoreAddress(freshStore(server)));
    RecordStore store(database);
    constexpr std::uint64_t kCount = 2000;
    fill(store, kCount);
    std::vector<records::KeptRecord> all;
    for (std::uint64_t n = 1; n <= kCount; ++n) all.push_back(recordNumbered(n));
    const auto holds = [](const Search& search, const records::KeptRecord& r) {
      return (search.title.empty() || r.title == search.title) &&
             (search.station.empty() || r.station == search.station) &&
             (search.result.empty() || search.result == r.result || (search.result == "good" && r.good) ||
              (search.result == "bad" && !r.good)) &&
             (search.from.empty() || r.started >= search.from) &&
             (search.to.empty() || r.started.substr(0, 10) <= search.to);
    };
    // Every way to look for something gives what looking at each of them gives.
    for (const char* title : {"", "River gauge", "Nothing"}) {
      for (const char* station : {"", "station-1"}) {
        for (const char* result : {"", "good", "bad", "stopped"}) {
          for (const auto& [from, to] : {std::pair("", ""), std::pair("2031-03-01", "2031-04-30")}) {
            const Search search{"", title, station, result, from, to};
            const auto expected = static_cast<std::uint64_t>(
                std::count_if(all.begin(), all.end(), [&](const auto& each) { return holds(search, each); }));
            QCOMPARE(store.count(search), expected);
            QCOMPARE(store.find(search, kCount).size(), expected);
          }
        }
      }
    }
    // Page by page, in the order of their times, without one twice.
    std::set<std::string> ids;
    records::Behind behind;
    std::string last = "9";
    for (;;) {
      const auto page = store.find({}, 77, behind);
      for (const auto& each : page) {
        QVERIFY(ids.insert(each.id).second && each.started <= last);
        last = each.started;
      }
      if (page.size() < 77) break;
      behind = {page.back().started, page.back().id};
    }
    QCOMPARE(ids.size(), kCount);
    QCOMPARE(store.find({"100042", "", "", "", "", ""}, 10).size(), 1U);
    QCOMPARE(store.find({"42", "", "", "", "", ""}, 10).size(), 0U);  // no ledger of this store gave it
    std::uint64_t runs = 0;
    for (const records::DayCount& day : store.days({})) runs += day.runs;
    QCOMPARE(runs, kCount);
    const auto failures = store.failures({});
    QCOMPARE(failures.size(), 1U);
    COMPARE_TEXT(failures[0].first, "Program");
    QCOMPARE(failures[0].second, kCount / 20);
    const records::KeptRecord one = store.record(*ids.begin());
    QVERIFY(one.text.find("imprimo_record") != std::string::npos);
    QVERIFY(!store.keep(one));  // never twice
  }

  void searchesUseIndexes_data() { stores(); }
  void searchesUseIndexes() {
    QFETCH(const bool, server);
    Database database(records::parseStoreAddress(freshStore(server)));
    RecordStore store(database);
    fill(store, 3000);
    if (server) database.run("ANALYZE");
    const auto planOf = [&](const std::string& sql, const records::Row& values) {
      std::string plan;
      if (server) database.run("SET enable_seqscan = off");
      for (const records::Row& row :
           database.run((server ? "EXPLAIN " : "EXPLAIN QUERY PLAN ") + withValues(sql, values))) {
        for (const records::Cell& cell : row) plan += cell.text() + " ";
      }
      return plan;
    };
    VERIFY_CONTAINS(
        planOf("SELECT id FROM run WHERE title = ? AND started >= ? AND started < ? ORDER BY started DESC, id "
               "DESC LIMIT ?",
               {"River gauge", "2031-03-01", "2031-03-02", 100}),
        "run_by_started");
    VERIFY_CONTAINS(
        planOf("SELECT id FROM run WHERE id IN (SELECT v.id FROM run_value v WHERE v.value = ?)", {"100042"}),
        server ? "run_value_pkey" : "sqlite_autoindex_run_value");
    VERIFY_CONTAINS(planOf("SELECT id FROM run WHERE ledger = ? AND unit = ?", {"gauge-2026", 42}), "run_by_unit");
    VERIFY_CONTAINS(planOf("SELECT id FROM unit WHERE ledger = ? AND state = 'free' AND id <= ? ORDER BY id LIMIT ?",
                           {"gauge-2026", 42, 1}),
                    "unit_by_state");
  }

  void storesOfBeforeAreBroughtOn_data() { stores(); }
  void storesOfBeforeAreBroughtOn() {
    QFETCH(const bool, server);
    for (int version = 1; version < records::schemaVersion(); ++version) {
      const std::string store = freshStore(server);
      const units::ValueMaker maker(definitionOf(gaugeUnits()), ".");
      {
        Database old(records::parseStoreAddress(store), version);
        QCOMPARE(old.run("SELECT version FROM imprimo_schema")[0][0].number(), static_cast<std::uint64_t>(version));
        records::Ledger(old, maker).reserve(5, {}, freshRun());
      }
      Database database(records::parseStoreAddress(store));
      QCOMPARE(database.run("SELECT version FROM imprimo_schema")[0][0].number(),
               static_cast<std::uint64_t>(records::schemaVersion()));
      QCOMPARE(records::Ledger(database, maker).list().size(), 5U);
      fill(*std::make_unique<RecordStore>(database), 3);
    }
  }

  void backupAndRestoreKeepAll_data() { stores(); }
  void backupAndRestoreKeepAll() {
    QFETCH(const bool, server);
    LedgerWorld copies;
    const units::ValueMaker maker(definitionOf(gaugeUnits()), ".");
    {
      Database database(records::parseStoreAddress(freshStore(server)));
      RecordStore store(database);
      fill(store, 1500);
      records::Ledger(database, maker).reserve(7, {}, freshRun());
      store.removeBefore("2031-02-01", "somebody", "the year is over");
      records::backUp(database, copies.file("backup.sqlite"));
      VERIFY_CONTAINS(errorOf([&] { records::restore(database, copies.file("backup.sqlite")); }),
                      "has records or numbers");
    }
    Database other(records::parseStoreAddress(freshStore(server)));
    records::restore(other, copies.file("backup.sqlite"));
    RecordStore store(other);
    QCOMPARE(store.count({}), store.find({}, 5000).size());
    QCOMPARE(store.deletions().size(), 1U);
    COMPARE_TEXT(store.deletions()[0].why, "the year is over");
    QCOMPARE(store.deletions()[0].runs + store.count({}), 1500U);
    records::Ledger ledger(other, maker);
    QCOMPARE(ledger.list().size(), 7U);
    QCOMPARE(ledger.events(3).size(), 1U);
    QCOMPARE(ledger.reserve(1, {}, freshRun())[0].id, 8U);
    for (const char* end : {"-wal", "-shm", "-turn"})
      QVERIFY(!std::filesystem::exists(copies.file("backup.sqlite").string() + end));
  }

  void recordsAreExportedAndReadInAgain() {
    Database database(records::parseStoreAddress(freshStore(false)));
    RecordStore store(database);
    fill(store, 700);
    std::string json, csv;
    records::exportJson(store, {}, [&](const std::string& more) { json += more; });
    records::exportCsv(store, {"", "River gauge", "", "", "", ""}, [&](const std::string& more) { csv += more; });
    QCOMPARE(std::count(csv.begin(), csv.end(), '\n'), 1 + 700 / 3);
    VERIFY_CONTAINS(csv, "\"A sentence, with a comma and \"\"quotes\"\".\"");
    LedgerWorld files;
    writeFileAtomically(files.file("all.json"), json);
    Database other(records::parseStoreAddress(files.store()));
    RecordStore there(other);
    QCOMPARE(records::importRecords(there, files.file("all.json")), 700U);
    QCOMPARE(records::importRecords(there, files.file("all.json")), 0U);
    QCOMPARE(there.find({}, 1)[0].id, store.find({}, 1)[0].id);
  }

  void plainFilesOfBeforeAreReadIn() {
    LedgerWorld files;
    std::filesystem::create_directories(files.file("records"));
    writeFileAtomically(
        files.file("records/a.json"),
        R"({"imprimo_record": 1, "started": "2031-01-02T03:04:05Z", "sheet": "s", "title": "River gauge", "probe": "p", "memory": "boot-flash", "result": "verified", "message": "m", "changed": true, "bytes": 12, "erased": [], "steps": []})");
    Database database(records::parseStoreAddress(files.store()));
    RecordStore store(database);
    QCOMPARE(records::importRecords(store, files.file("records")), 1U);
    QCOMPARE(records::importRecords(store, files.file("records")), 0U);
    QCOMPARE(store.find({}, 1)[0].bytes, 12U);
    writeFileAtomically(files.file("records/b.json"), R"({"imprimo_record": 2})");
    VERIFY_CONTAINS(errorOf([&] { records::importRecords(store, files.file("records/b.json")); }),
                    "b.json:1: imprimo_record: this version reads records of version 1");
  }

  void recordsWaitForAServerThatIsAway() {
    if (!PostgresServer::isInstalled()) QSKIP("the PostgreSQL server is not installed; ./run test installs it");
    const std::string address = freshStore(true);
    run::Record record;
    record.memory = "boot-flash";
    record.startedAt = "2031-01-02T03:04:05Z";
    record.outcome = run::Outcome::Verified;
    records::StoreSink sink(address);
    sink.keep(record);
    server().kill();
    for (int i = 0; i < 3; ++i) sink.keep(record);
    server().start();
    sink.keep(record);
    Database database(records::parseStoreAddress(address));
    QCOMPARE(RecordStore(database).count({}), 5U);
    sink.keep(record);
    QCOMPARE(RecordStore(database).count({}), 6U);
    QCOMPARE(records::sendWaiting(database), 0U);
  }
};

IMPRIMO_TEST(RecordStoreTest);
#include "tst_record_store.moc"
