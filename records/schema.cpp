// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/schema.h"

#include <fmt/format.h>

namespace imprimo::records {
namespace {

/// A number that grows with each row, for which each kind of store has its own words.
constexpr std::string_view kSerial = "{serial}";

/// What brings the tables from each version to the next; the same words for SQLite and PostgreSQL.
const std::vector<std::vector<std::string>>& migrations() {
  static const std::vector<std::vector<std::string>> kAll{
      // 1: the ledger
      {
          ("CREATE TABLE ledger (name TEXT PRIMARY KEY, fields TEXT NOT NULL, opened TEXT NOT NULL, next BIGINT NOT "
           "NULL)"),
          ("CREATE TABLE unit (ledger TEXT NOT NULL REFERENCES ledger (name), id BIGINT NOT NULL, state TEXT NOT NULL "
           "CHECK (state IN ('free', 'reserved', 'used', 'failed', 'void')), fields TEXT NOT NULL, board TEXT NOT "
           "NULL, "
           "at TEXT NOT NULL, station TEXT NOT NULL, run TEXT NOT NULL, PRIMARY KEY (ledger, id))"),
          "CREATE INDEX unit_by_state ON unit (ledger, state, id)",
          "CREATE INDEX unit_by_run ON unit (run)",
          "CREATE INDEX unit_by_board ON unit (ledger, board)",
          ("CREATE TABLE unit_event (seq {serial}, ledger TEXT NOT NULL, id BIGINT NOT NULL, state TEXT NOT NULL, at "
           "TEXT NOT NULL, "
           "station TEXT NOT NULL, process TEXT NOT NULL, run TEXT NOT NULL, why TEXT NOT NULL)"),
          "CREATE INDEX unit_event_by_unit ON unit_event (ledger, id)",
          ("CREATE TABLE unit_value (ledger TEXT NOT NULL, field TEXT NOT NULL, value TEXT NOT NULL, id BIGINT NOT "
           "NULL, "
           "PRIMARY KEY (ledger, field, value))"),
      },
      // 2: records; what is counted by days is kept as it grows, so that no search has to look through all of them
      {
          ("CREATE TABLE run (id TEXT PRIMARY KEY, started TEXT NOT NULL, zone INTEGER NOT NULL, seconds DOUBLE "
           "PRECISION "
           "NOT NULL, station TEXT NOT NULL, person TEXT NOT NULL, sheet TEXT NOT NULL, title TEXT NOT NULL, target "
           "TEXT "
           "NOT NULL, ledger TEXT NOT NULL, unit BIGINT NOT NULL, result TEXT NOT NULL, good INTEGER NOT NULL, step "
           "TEXT "
           "NOT NULL, bytes BIGINT NOT NULL, message TEXT NOT NULL, record TEXT NOT NULL)"),
          "CREATE INDEX run_by_started ON run (started, id)",
          "CREATE INDEX run_by_unit ON run (ledger, unit, started)",
          ("CREATE TABLE run_value (value TEXT NOT NULL, started TEXT NOT NULL, id TEXT NOT NULL, PRIMARY KEY (value, "
           "started, id))"),
          "CREATE INDEX run_value_by_run ON run_value (id)",
          ("CREATE TABLE day_count (day TEXT NOT NULL, title TEXT NOT NULL, station TEXT NOT NULL, result TEXT NOT "
           "NULL, "
           "step TEXT NOT NULL, runs BIGINT NOT NULL, good BIGINT NOT NULL, seconds DOUBLE PRECISION NOT NULL, PRIMARY "
           "KEY (day, title, station, result, step))"),
          ("CREATE TABLE deletion (seq {serial}, at TEXT NOT NULL, station TEXT NOT NULL, person TEXT NOT NULL, before "
           "TEXT NOT NULL, runs BIGINT NOT NULL, why TEXT NOT NULL)"),
          ("CREATE TABLE waiting (seq {serial}, ledger TEXT NOT NULL, id BIGINT NOT NULL, state TEXT NOT NULL, run "
           "TEXT "
           "NOT NULL, why TEXT NOT NULL, fields TEXT NOT NULL, board TEXT NOT NULL)"),
      },
  };
  return kAll;
}

bool hasTable(Database& database, const char* name) {
  // PostgreSQL: by a look into its table of tables. to_regclass() may answer from before another station made them.
  const Rows rows =
      database.isSqlite()
          ? database.run("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?", {name})
          : database.run("SELECT 1 FROM pg_tables WHERE tablename = ? AND schemaname = ANY (current_schemas(false))",
                         {name});
  return !rows.empty();
}

/// 0: there are no tables.
int versionOf(Database& database) {
  if (!hasTable(database, "imprimo_schema")) return 0;
  const Rows rows = database.run("SELECT version FROM imprimo_schema");
  if (rows.size() != 1)
    throw Error(ErrorKind::BadFile, database.address().text() + " does not say which version it is of",
                "Restore it from a backup.");
  return static_cast<int>(rows[0][0].number());
}

void bringTo(Database& database, int wanted) {
  database.transaction([&] {
    // Two stations that are first at the same time: the second finds the work done.
    if (!database.isSqlite()) database.run("SELECT pg_advisory_xact_lock(?)", {0x696D7072});
    const int version = versionOf(database);
    if (version >= wanted) return;
    if (version == 0) {
      if (!hasTable(database, "imprimo_schema")) database.run("CREATE TABLE imprimo_schema (version INTEGER NOT NULL)");
      database.run("INSERT INTO imprimo_schema (version) VALUES (0)");
    }
    for (int next = version; next < wanted; ++next) {
      for (std::string statement : migrations()[static_cast<std::size_t>(next)]) {
        if (const std::size_t at = statement.find(kSerial); at != std::string::npos) {
          statement.replace(at, kSerial.size(),
                            database.isSqlite() ? "INTEGER PRIMARY KEY AUTOINCREMENT" : "BIGSERIAL PRIMARY KEY");
        }
        database.run(statement);
      }
    }
    database.run("UPDATE imprimo_schema SET version = ?", {wanted});
  });
}

}  // namespace

int schemaVersion() {
  return static_cast<int>(migrations().size());
}

void requireSchema(Database& database, int wanted) {
  const int version = versionOf(database);
  if (version > schemaVersion()) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{} is of version {}, and this program knows up to {}", database.address().text(), version,
                            schemaVersion()),
                "Use the newer program that wrote it.");
  }
  if (version < wanted) bringTo(database, wanted);
}

}  // namespace imprimo::records
