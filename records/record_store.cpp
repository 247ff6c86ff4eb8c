// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/record_store.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/base/utc.h"
#include "records/ledger.h"
#include "records/search_sql.h"

namespace imprimo::records {
namespace {

constexpr const char* kColumns =
    "id, started, zone, seconds, station, person, sheet, title, target, ledger, unit, result, good, step, bytes, "
    "message";
constexpr std::size_t kDayLength = 10;  // "2026-11-30"

KeptRecord recordOf(const Row& row) {
  KeptRecord record;
  record.id = row[0].text();
  record.started = row[1].text();
  record.zone = static_cast<int>(row[2].number());
  record.seconds = row[3].real();
  record.station = row[4].text();
  record.person = row[5].text();
  record.sheet = row[6].text();
  record.title = row[7].text();
  record.target = row[8].text();
  record.ledger = row[9].text();
  record.unit = row[10].number();
  record.result = row[11].text();
  record.good = static_cast<int>(row[12].number()) != 0;
  record.step = row[13].text();
  record.bytes = row[14].number();
  record.message = row[15].text();
  return record;
}

std::string dayOf(const KeptRecord& record) {
  return record.started.substr(0, kDayLength);
}

void addBehind(Condition& condition, const Behind& behind, const char* table = "") {
  if (behind.started.empty()) return;
  condition.add(fmt::format("({0}started, {0}id) < (?, ?)", table), behind.started);
  condition.values.push_back(behind.id);
}

}  // namespace

bool RecordStore::keep(const KeptRecord& record) {
  return keepAll({record}) == 1;
}

std::size_t RecordStore::keepAll(const std::vector<KeptRecord>& records) {
  std::size_t added = 0;
  database_.transaction([&] {
    added = 0;
    for (const KeptRecord& r : records) {
      database_.run(
          fmt::format(
              "INSERT INTO run ({}, record) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT "
              "(id) DO NOTHING",
              kColumns),
          {r.id, r.started, r.zone, r.seconds, r.station, r.person, r.sheet, r.title, r.target, r.ledger, r.unit,
           r.result, r.good ? 1 : 0, r.step, r.bytes, r.message, r.text});
      if (database_.changed() == 0) continue;
      ++added;
      for (const std::string& value : r.values) {
        database_.run("INSERT INTO run_value (value, started, id) VALUES (?, ?, ?) ON CONFLICT DO NOTHING",
                      {value, r.started, r.id});
      }
      database_.run(
          "INSERT INTO day_count (day, title, station, result, step, runs, good, seconds) VALUES (?, ?, ?, ?, ?, 1, ?, "
          "?) "
          "ON CONFLICT (day, title, station, result, step) DO UPDATE SET runs = day_count.runs + 1, good = "
          "day_count.good + excluded.good, seconds = day_count.seconds + excluded.seconds",
          {dayOf(r), r.title, r.station, r.result, r.step, r.good ? 1 : 0, r.seconds});
    }
  });
  return added;
}

std::vector<std::string> RecordStore::daysWith(const Search& search, const Behind& behind) {
  Condition condition = ofDays(search);
  if (!behind.started.empty()) condition.add("day <= ?", behind.started.substr(0, kDayLength));
  const Rows rows = database_.run(
      fmt::format("SELECT DISTINCT day FROM day_count WHERE {} ORDER BY day DESC", condition.sql), condition.values);
  std::vector<std::string> days;
  for (const Row& row : rows) days.push_back(row[0].text());
  return days;
}

std::vector<KeptRecord> RecordStore::find(const Search& search, std::size_t most, const Behind& behind) {
  for (const std::string* day : {&search.from, &search.to}) {
    if (!day->empty()) static_cast<void>(dayAfter(*day));
  }
  if (!search.unit.empty()) return ofUnit(search, most, behind);
  std::vector<KeptRecord> found;
  for (const std::string& day : daysWith(search, behind)) {
    Condition condition = ofWords(search);
    condition.add("started >= ?", day);
    condition.add("started < ?", dayAfter(day));
    addBehind(condition, behind);
    condition.values.push_back(most - found.size());
    const Rows rows = database_.run(
        fmt::format("SELECT {} FROM run WHERE {} ORDER BY started DESC, id DESC LIMIT ?", kColumns, condition.sql),
        condition.values);
    for (const Row& row : rows) found.push_back(recordOf(row));
    if (found.size() >= most) break;
  }
  return found;
}

/// By what is written on it, or by its number in a ledger.
std::vector<KeptRecord> RecordStore::ofUnit(const Search& search, std::size_t most, const Behind& behind) {
  Condition condition = ofWords(search);
  if (!search.from.empty()) condition.add("started >= ?", search.from);
  if (!search.to.empty()) condition.add("started < ?", dayAfter(search.to));
  addBehind(condition, behind);
  Row values{search.unit};
  // One list of IDs, so that both kinds of store go by their indexes.
  std::string ids = "SELECT v.id FROM run_value v WHERE v.value = ?";
  if (const auto id = parseNumber(search.unit); id && *id <= INT64_MAX) {
    ids += " UNION SELECT r.id FROM ledger l JOIN run r ON r.ledger = l.name WHERE r.unit = ?";
    values.push_back(*id);
  }
  const std::string which = "id IN (" + ids + ")";
  values.insert(values.end(), condition.values.begin(), condition.values.end());
  values.push_back(most);
  std::vector<KeptRecord> found;
  for (const Row& row :
       database_.run(fmt::format("SELECT {} FROM run WHERE {} AND {} ORDER BY started DESC, id DESC LIMIT ?", kColumns,
                                 which, condition.sql),
                     values))
    found.push_back(recordOf(row));
  return found;
}

std::uint64_t RecordStore::count(const Search& search) {
  constexpr std::size_t kMost = 10000;
  if (!search.unit.empty()) return ofUnit(search, kMost, {}).size();
  const Condition condition = ofDays(search);
  const Rows rows =
      database_.run(fmt::format("SELECT CAST(coalesce(sum(runs), 0) AS BIGINT) FROM day_count WHERE {}", condition.sql),
                    condition.values);
  return rows.at(0)[0].number();
}

std::vector<DayCount> RecordStore::days(const Search& search) {
  const Condition condition = ofDays(search);
  std::vector<DayCount> days;
  for (const Row& row : database_.run(fmt::format("SELECT day, CAST(sum(runs) AS BIGINT), CAST(sum(good) AS BIGINT), "
                                                  "sum(seconds) FROM day_count WHERE {} GROUP BY day ORDER BY day",
                                                  condition.sql),
                                      condition.values))
    days.push_back({row[0].text(), row[1].number(), row[2].number(), row[3].real()});
  return days;
}

std::vector<std::pair<std::string, std::uint64_t>> RecordStore::failures(const Search& search) {
  Condition condition = ofDays(search);
  condition.add("good = 0");
  std::vector<std::pair<std::string, std::uint64_t>> failures;
  for (const Row& row :
       database_.run(fmt::format("SELECT step, CAST(sum(runs) AS BIGINT) FROM day_count WHERE {} GROUP BY step "
                                 "ORDER BY sum(runs) DESC, step",
                                 condition.sql),
                     condition.values))
    failures.emplace_back(row[0].text(), row[1].number());
  return failures;
}

namespace {

std::vector<std::string> textsOf(const Rows& rows) {
  std::vector<std::string> texts;
  for (const Row& row : rows) texts.push_back(row[0].text());
  return texts;
}

}  // namespace

std::vector<std::string> RecordStore::titles() {
  return textsOf(database_.run("SELECT DISTINCT title FROM day_count ORDER BY title"));
}

std::vector<std::string> RecordStore::stations() {
  return textsOf(database_.run("SELECT DISTINCT station FROM day_count ORDER BY station"));
}

KeptRecord RecordStore::record(const std::string& id) {
  const Rows rows = database_.run(
      fmt::format("SELECT {}, record FROM run WHERE id >= ? AND id < ? ORDER BY id LIMIT 2", kColumns), {id, id + "~"});
  if (rows.empty())
    throw Error(ErrorKind::Usage, "there is no record " + id, "imprimoctl records list shows those that there are.");
  if (rows.size() > 1 && rows[0][0].text() != id)
    throw Error(ErrorKind::Usage, "several records begin with " + id, "Write more of it.");
  KeptRecord record = recordOf(rows[0]);
  record.text = rows[0].back().text();
  return record;
}

std::uint64_t RecordStore::removeBefore(const std::string& day, const std::string& person, const std::string& why) {
  static_cast<void>(dayAfter(day));
  std::uint64_t removed = 0;
  database_.transaction([&] {
    database_.run("DELETE FROM run_value WHERE id IN (SELECT id FROM run WHERE started < ?)", {day});
    database_.run("DELETE FROM run WHERE started < ?", {day});
    removed = static_cast<std::uint64_t>(std::max(0, database_.changed()));
    database_.run("DELETE FROM day_count WHERE day < ?", {day});
    database_.run("INSERT INTO deletion (at, station, person, before, runs, why) VALUES (?, ?, ?, ?, ?, ?)",
                  {utcNow(), stationName(), person, day, removed, why});
  });
  return removed;
}

std::vector<RecordStore::Deletion> RecordStore::deletions() {
  std::vector<Deletion> list;
  for (const Row& row : database_.run("SELECT at, station, person, before, runs, why FROM deletion ORDER BY seq")) {
    list.push_back({row[0].text(), row[1].text(), row[2].text(), row[3].text(), row[4].number(), row[5].text()});
  }
  return list;
}

}  // namespace imprimo::records
