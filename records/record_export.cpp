// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/record_export.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/input_file.h"
#include "core/base/json.h"
#include "records/ledger.h"

namespace imprimo::records {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kPage = 500;
/// A store in SQLite and what stands beside it while it is open.
constexpr const char* kEnds[] = {"", "-turn", "-wal", "-shm"};

std::string quoted(const std::string& text) {
  if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
  std::string quoted = "\"";
  for (const char c : text) {
    if (c == '"') quoted += '"';
    quoted += c;
  }
  return quoted + "\"";
}

/// Calls `each` with every record that is found, with its text where that is wanted.
void forEach(RecordStore& store, const Search& search, bool withText,
             const std::function<void(const KeptRecord&)>& each) {
  Behind behind;
  for (;;) {
    const std::vector<KeptRecord> page = store.find(search, kPage, behind);
    for (const KeptRecord& record : page) each(withText ? store.record(record.id) : record);
    if (page.size() < kPage) return;
    behind = {page.back().started, page.back().id};
  }
}

std::size_t importFile(RecordStore& store, const std::filesystem::path& file) {
  const std::string text = readTextFile(file);
  std::vector<KeptRecord> records;
  if (const std::size_t first = text.find_first_not_of(" \t\r\n"); first != std::string::npos && text[first] == '[') {
    const Json list = Json::parse(text, nullptr, false);
    if (!list.is_array()) throw Error(ErrorKind::BadFile, file.string() + " is no JSON text");
    for (const Json& each : list)
      records.push_back(keptFrom(each.dump(1, ' ', false, Json::error_handler_t::replace) + "\n", file.string()));
  } else {
    records.push_back(keptFrom(text, file.string()));
  }
  return store.keepAll(records);
}

}  // namespace

void exportCsv(RecordStore& store, const Search& search, const std::function<void(const std::string&)>& write) {
  write("id,started,zone,seconds,station,person,sheet,title,target,ledger,unit,result,step,bytes,message\r\n");
  forEach(store, search, false, [&](const KeptRecord& r) {
    write(fmt::format("{},{},{},{:.3f},{},{},{},{},{},{},{},{},{},{},{}\r\n", r.id, r.started, r.zone, r.seconds,
                      quoted(r.station), quoted(r.person), quoted(r.sheet), quoted(r.title), quoted(r.target),
                      quoted(r.ledger), r.unit == 0 ? "" : std::to_string(r.unit), r.result, quoted(r.step), r.bytes,
                      quoted(r.message)));
  });
}

void exportJson(RecordStore& store, const Search& search, const std::function<void(const std::string&)>& write) {
  bool first = true;
  write("[");
  forEach(store, search, true, [&](const KeptRecord& record) {
    write(first ? "\n" : ",\n");
    first = false;
    Json json = Json::parse(record.text);
    json["id"] = record.id;
    write(json.dump(-1, ' ', false, Json::error_handler_t::replace));
  });
  write("\n]\n");
}

std::size_t importRecords(RecordStore& store, const std::filesystem::path& from) {
  std::error_code failure;
  if (!std::filesystem::is_directory(from, failure)) return importFile(store, from);
  std::vector<std::filesystem::path> files;
  for (const auto& entry : std::filesystem::directory_iterator(from, failure)) {
    if (entry.path().extension() == ".json") files.push_back(entry.path());
  }
  if (failure) throw Error(ErrorKind::BadFile, fmt::format("{}: {}", from.string(), failure.message()));
  std::sort(files.begin(), files.end());
  std::size_t added = 0;
  for (const auto& file : files) added += importFile(store, file);
  return added;
}

namespace {

struct Table {
  const char* name;
  const char* columns;
};

/// In an order in which each may refer to those before it.
constexpr Table kTables[] = {
    {"ledger", "name, fields, opened, next"},
    {"unit", "ledger, id, state, fields, board, at, station, run"},
    {"unit_event", "ledger, id, state, at, station, process, run, why"},
    {"unit_value", "ledger, field, value, id"},
    {"run",
     "id, started, zone, seconds, station, person, sheet, title, target, ledger, unit, result, good, step, bytes, "
     "message, record"},
    {"run_value", "value, started, id"},
    {"day_count", "day, title, station, result, step, runs, good, seconds"},
    {"deletion", "at, station, person, before, runs, why"},
};

std::string orderOf(const Table& table) {
  const std::string_view columns = table.columns;
  return columns.starts_with("ledger, id, state, at") || columns.starts_with("at,") ? "seq" : std::string(columns);
}

/// Row by row, in the order of the other store's.
void copyTable(const Table& table, Database& from, Database& to) {
  const std::string columns = table.columns;
  std::string places = "?";
  for (const char c : columns) places += c == ',' ? ", ?" : "";
  const std::string insert = fmt::format("INSERT INTO {} ({}) VALUES ({})", table.name, columns, places);
  constexpr int kAtOnce = 1000;
  for (std::int64_t at = 0;; at += kAtOnce) {
    const Rows rows =
        from.run(fmt::format("SELECT {} FROM {} ORDER BY {} LIMIT ? OFFSET ?", columns, table.name, orderOf(table)),
                 {kAtOnce, at});
    for (const Row& row : rows) to.run(insert, row);
    if (rows.size() < kAtOnce) return;
  }
}

void copyAll(Database& from, Database& to) {
  from.transaction([&] {
    if (!from.isSqlite()) from.run("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY");
    to.transaction([&] {
      for (const Table& table : kTables) copyTable(table, from, to);
    });
  });
}

}  // namespace

void backUp(Database& database, const std::filesystem::path& to) {
  std::error_code failure;
  const std::filesystem::path part = to.string() + ".part";
  std::filesystem::remove(part, failure);
  try {
    {
      Database copy({StoreAddress::Sqlite, part, {}});
      copyAll(database, copy);
      copy.run("PRAGMA journal_mode = DELETE");
    }
    std::filesystem::remove(part.string() + "-turn", failure);
    std::filesystem::rename(part, to, failure);
    if (failure)
      throw Error(ErrorKind::CannotWrite, fmt::format("{} cannot be written: {}", to.string(), failure.message()));
  } catch (...) {
    for (const char* end : kEnds) std::filesystem::remove(part.string() + end, failure);
    throw;
  }
}

void restore(Database& database, const std::filesystem::path& from) {
  std::error_code none;
  if (!std::filesystem::exists(from, none)) throw Error(ErrorKind::BadFile, from.string() + " is not there");
  for (const char* table : {"ledger", "run"}) {
    if (!database.run(fmt::format("SELECT 1 FROM {} LIMIT 1", table)).empty()) {
      throw Error(ErrorKind::Refused, database.address().text() + " has records or numbers already",
                  "Nothing was changed. Restore into a store that has nothing; records can be read in with import.");
    }
  }
  // A copy of it is opened: it may be of an older version, and stays as it is.
  const std::filesystem::path copy = std::filesystem::temp_directory_path() / ("imprimo-" + freshRunName());
  const auto removeCopy = [&] {
    for (const char* end : kEnds) std::filesystem::remove(copy.string() + end, none);
  };
  try {
    std::filesystem::copy_file(from, copy);
    {
      Database backup({StoreAddress::Sqlite, copy, {}});
      copyAll(backup, database);
    }
    removeCopy();
  } catch (const std::filesystem::filesystem_error& e) {
    removeCopy();
    throw Error(ErrorKind::BadFile, fmt::format("{} cannot be read: {}", from.string(), e.code().message()));
  } catch (...) {
    removeCopy();
    throw;
  }
}

}  // namespace imprimo::records
