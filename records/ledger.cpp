// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/ledger.h"

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <thread>

#include "core/base/number.h"
#include "core/base/utc.h"
#include "core/run/run_notes.h"
#include "core/units/forms.h"
#include "records/ledger_rows.h"
#include "records/secret_hash.h"

namespace imprimo::records {
namespace {

/// Numbers are set out in advance so that stations do not wait for each other; whoever comes takes the lowest that
/// nobody is at.
constexpr std::size_t kSetOut = 64;
/// How long a lost connection is tried again.
constexpr auto kLongestLoss = std::chrono::seconds(10);
constexpr auto kPause = std::chrono::milliseconds(100);
constexpr int kDraws = 100;

/// Values by which a field tells units apart and which nothing but the ledger keeps from being given twice.
bool isClaimed(const units::Field& field) {
  const units::Source::Kind kind = field.source.kind;
  return kind == units::Source::Random || kind == units::Source::Given || kind == units::Source::List;
}

}  // namespace

std::string stationName() {
  if (const char* named = std::getenv("IMPRIMO_STATION"); named != nullptr && *named != '\0') return named;
  char name[256] = {};
  return ::gethostname(name, sizeof name - 1) == 0 ? name : "unknown";
}

Ledger::Ledger(Database& database, const units::ValueMaker& maker)
    : database_(database), maker_(maker), station_(stationName()), process_(run::thisProcess()) {
  requireSameFields();
}

void Ledger::requireSameFields() {
  const Rows rows = database_.run("SELECT fields FROM ledger WHERE name = ?", {name()});
  if (rows.empty()) return;
  const auto differences = units::differencesOf(rows[0][0].text(), units::fieldsText(maker_.definition()));
  if (differences.empty()) return;
  throw Error(ErrorKind::Usage,
              fmt::format("ledger {} was begun with other fields: {}", name(), fmt::join(differences, "; ")),
              "Give the sheet the fields of the ledger, or name another ledger in it.");
}

/// Carries out what stores something; where the connection is lost meanwhile, it is asked whether it was stored before
/// it is tried again.
void Ledger::surely(const std::function<void()>& act, const std::function<bool()>& isDone) {
  const auto end = std::chrono::steady_clock::now() + kLongestLoss;
  bool lost = false;
  for (;;) {
    try {
      if (lost) {
        database_.reconnect();
        if (isDone()) return;
        lost = false;
      }
      return act();
    } catch (const Error& e) {
      const bool gone = dynamic_cast<const ConnectionLost*>(&e) != nullptr;
      if (!gone || std::chrono::steady_clock::now() > end) throw;
      lost = true;
      std::this_thread::sleep_for(kPause);
    }
  }
}

std::uint64_t Ledger::next() {
  requireOpen({});
  const std::uint64_t last = maker_.capacity().value_or(INT64_MAX);
  const Rows set =
      database_.run("SELECT min(id) FROM unit WHERE ledger = ? AND state = 'free' AND id <= ?", {name(), last});
  if (!set.empty() && !set[0][0].isNull()) return set[0][0].number();
  const Rows rows = database_.run("SELECT next FROM ledger WHERE name = ?", {name()});
  const std::uint64_t id = rows.empty() ? 1 : rows[0][0].number();
  if (id > last || id >= kNeverSetOut) exhausted(1);
  return id;
}

void Ledger::exhausted(std::size_t count) const {
  if (listener_) {
    throw Error(ErrorKind::Refused, fmt::format("no more units of ledger {} were set aside for this station", name()),
                "Nothing was reserved. Wait for the server.");
  }
  const std::string why = maker_.limitWords();
  throw Error(ErrorKind::Refused,
              count == 1 ? fmt::format("ledger {} has no more units: {}", name(), why)
                         : fmt::format("ledger {} has not {} more units: {}", name(), count, why),
              "Nothing was reserved. Give the sheet more numbers under another ledger, or a higher limit.");
}

void Ledger::requireOpen(const units::Inputs& inputs) const {
  const std::string& until = maker_.definition().until;
  if (until.empty()) return;
  std::string today = utcNow();
  if (inputs.today != std::chrono::sys_days{})
    today = fmt::format("{:%Y-%m-%d}", fmt::gmtime(std::chrono::system_clock::to_time_t(inputs.today)));
  if (today.substr(0, until.size()) > until) {
    throw Error(ErrorKind::Refused, fmt::format("ledger {} gives numbers until {}, and that is over", name(), until),
                "Nothing was reserved.");
  }
}

std::vector<std::uint64_t> Ledger::pick(std::size_t count) {
  // PostgreSQL: rows that another station is at are passed over; if that one fails, they stay for whoever comes next.
  const Rows rows = database_.run(
      fmt::format("SELECT id FROM unit WHERE ledger = ? AND state = 'free' AND id <= ? ORDER BY id LIMIT ?{}",
                  database_.isSqlite() ? "" : " FOR UPDATE SKIP LOCKED"),
      {name(), maker_.capacity().value_or(INT64_MAX), count});
  std::vector<std::uint64_t> ids;
  for (const Row& row : rows) ids.push_back(row[0].number());
  return ids;
}

bool Ledger::topUp(std::size_t count) {
  bool more = false;
  database_.transaction([&] {
    more = false;
    database_.run("INSERT INTO ledger (name, fields, opened, next) VALUES (?, ?, ?, 1) ON CONFLICT (name) DO NOTHING",
                  {name(), units::fieldsText(maker_.definition()), utcNow()});
    const Rows rows = database_.run(
        fmt::format("SELECT next FROM ledger WHERE name = ?{}", database_.isSqlite() ? "" : " FOR UPDATE"), {name()});
    const std::uint64_t first = rows.at(0)[0].number();
    if (first >= kNeverSetOut) return;
    const std::uint64_t last =
        std::min<std::uint64_t>(first + std::max(count, kSetOut) - 1, maker_.capacity().value_or(INT64_MAX));
    if (last < first) return;
    database_.run(
        "WITH RECURSIVE n (i) AS (SELECT CAST(? AS BIGINT) UNION ALL SELECT i + 1 FROM n WHERE i < CAST(? AS BIGINT)) "
        "INSERT INTO unit (ledger, id, state, fields, board, at, station, run) "
        "SELECT CAST(? AS TEXT), i, 'free', '{}', '', '', '', '' FROM n",
        {first, last, name()});
    database_.run("UPDATE ledger SET next = ? WHERE name = ?", {last + 1, name()});
    more = true;
  });
  requireSameFields();
  return more;
}

/// False: a value that was drawn is another unit's already.
bool Ledger::claimValues(std::uint64_t id, const units::Values& values, bool secrets) {
  for (const units::Field& field : maker_.definition().fields) {
    const auto value = values.find(field.name);
    if (!isClaimed(field) || value == values.end() || (field.secret && !secrets)) continue;
    const std::string kept = field.secret ? secretHash(value->second.text) : value->second.text;
    database_.run("INSERT INTO unit_value (ledger, field, value, id) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING",
                  {name(), field.name, kept, id});
    if (database_.changed() > 0) continue;
    const Rows owner = database_.run("SELECT id FROM unit_value WHERE ledger = ? AND field = ? AND value = ?",
                                     {name(), field.name, kept});
    if (!owner.empty() && owner[0][0].number() == id) continue;
    if (field.source.kind == units::Source::Random) return false;
    throw Error(ErrorKind::Refused,
                fmt::format("{} {} is that of unit {} already", field.name,
                            field.secret ? "as given" : value->second.text, owner.empty() ? 0 : owner[0][0].number()),
                "Nothing was written. Look whether this board was done before.");
  }
  return true;
}

UnitRow Ledger::take(std::uint64_t id, const units::Inputs& inputs, const std::string& run, const std::string& at) {
  for (int draw = 0; draw < kDraws; ++draw) {
    const units::Values values = maker_.make(id - 1, inputs);
    if (!claimValues(id, values, false)) continue;
    const std::string fields = keptFields(maker_.definition(), values);
    constexpr const char* kTake =
        "UPDATE unit SET state = 'reserved', fields = ?, at = ?, station = ?, run = ? WHERE ledger = ? AND id = ?";
    if (database_.isSqlite()) {
      database_.run(kTake, {fields, at, station_, run, name(), id});
      storeEvent(database_, name(), {id, UnitState::Reserved, run, "", "", ""}, at);
    } else {
      // The way to a server and back is what takes the time: both rows in one.
      database_.run(
          fmt::format("WITH taken AS ({} RETURNING ledger, id, at, station, run) INSERT INTO unit_event (ledger, id, "
                      "state, at, station, process, run, why) SELECT ledger, id, 'reserved', at, station, "
                      "CAST(? AS TEXT), run, '' FROM taken",
                      kTake),
          {fields, at, station_, run, name(), id, process_});
    }
    return {id, UnitState::Reserved, fieldsOf(fields), "", at, station_, run};
  }
  throw Error(ErrorKind::Refused, fmt::format("ledger {}: every value that was drawn is taken", name()),
              "Nothing was reserved. Make the random field wider.");
}

std::vector<UnitRow> Ledger::reserve(std::size_t count, units::Inputs inputs, const std::string& run) {
  requireOpen(inputs);
  if (!inputs.random) inputs.random = units::randomBytes;
  inputs.secretRandom = nullptr;  // a secret is made when it is written, and not before
  std::vector<UnitRow> units;
  const auto isDone = [&] {
    const Rows rows =
        database_.run(fmt::format("SELECT {} FROM unit WHERE ledger = ? AND run = ? AND state = 'reserved' ORDER BY id",
                                  kUnitColumns),
                      {name(), run});
    units.clear();
    for (const Row& row : rows) units.push_back(unitRow(row));
    return units.size() == count;
  };
  const auto attempt = [&] {
    for (;;) {
      units.clear();
      bool enough = true;
      database_.transaction([&] {
        units.clear();
        const std::vector<std::uint64_t> ids = pick(count);
        enough = ids.size() == count;
        if (!enough) return;
        const std::string at = utcNow();
        for (const std::uint64_t id : ids) units.push_back(take(id, inputs, run, at));
      });
      if (enough) return;
      if (topUp(count)) continue;
      const Rows rows = database_.run("SELECT count(*) FROM unit WHERE ledger = ? AND state = 'free' AND id <= ?",
                                      {name(), maker_.capacity().value_or(INT64_MAX)});
      if (rows[0][0].number() < count) exhausted(count);
      std::this_thread::sleep_for(std::chrono::milliseconds(1));  // another station is at the last ones
    }
  };
  surely(attempt, isDone);
  return units;
}

void Ledger::complete(std::uint64_t id, const units::Values& values, const std::string& board, const std::string& run) {
  const std::string fields = keptFields(maker_.definition(), values);
  if (listener_) listener_(name(), {id, std::nullopt, run, "", fields, board});
  const auto store = [&] {
    database_.transaction([&] {
      if (!claimValues(id, values, true)) {
        throw Error(ErrorKind::Refused, fmt::format("a random value of unit {} is another unit's already", id),
                    "Nothing was written. Try again: another one is drawn.");
      }
      database_.run("UPDATE unit SET fields = ?, board = ?, run = ? WHERE ledger = ? AND id = ?",
                    {fields, board, run, name(), id});
    });
  };
  surely(store, [] { return false; });  // twice is as well as once
}

void Ledger::settle(std::uint64_t id, UnitState state, const std::string& run, const std::string& why) {
  const News news{id, state, run, why, "", ""};
  if (listener_) listener_(name(), news);
  surely([&] { database_.transaction([&] { storeState(database_, name(), news); }); },
         [&] { return hasState(database_, name(), news); });
}

void Ledger::makeVoid(std::uint64_t id, const std::string& why) {
  const auto store = [&] {
    database_.transaction([&] {
      const UnitRow row = unit(id);
      if (row.state != UnitState::Reserved) {
        throw Error(ErrorKind::Refused,
                    fmt::format("unit {} is {}, and only a reservation can be made void", id, nameOf(row.state)),
                    "Its numbers are never given again, whatever it is.");
      }
      const std::string at = utcNow();
      storeEvent(database_, name(), {id, UnitState::Void, row.run, why, "", ""}, at);
      database_.run(
          "UPDATE unit SET state = 'void', at = ?, station = ? WHERE ledger = ? AND id = ? AND state = 'reserved'",
          {at, station_, name(), id});
      if (database_.changed() != 1) throw Collision(fmt::format("unit {} is being written just now", id));
    });
  };
  surely(store, [&] { return unit(id).state == UnitState::Void; });
}

UnitRow Ledger::unit(std::uint64_t id) {
  const Rows rows = database_.run(
      fmt::format("SELECT {} FROM unit WHERE ledger = ? AND id = ? AND state <> 'free'", kUnitColumns), {name(), id});
  if (rows.empty()) throw Error(ErrorKind::Usage, fmt::format("ledger {} has no unit {}", name(), id));
  return unitRow(rows[0]);
}

std::vector<UnitRow> Ledger::list(std::optional<UnitState> state, std::size_t most) {
  const std::uint64_t limit = std::min<std::uint64_t>(most, INT64_MAX);
  const Rows rows =
      state ? database_.run(
                  fmt::format("SELECT {} FROM unit WHERE ledger = ? AND state = ? ORDER BY id LIMIT ?", kUnitColumns),
                  {name(), nameOf(*state), limit})
            : database_.run(fmt::format("SELECT {} FROM unit WHERE ledger = ? AND state <> 'free' ORDER BY id LIMIT ?",
                                        kUnitColumns),
                            {name(), limit});
  std::vector<UnitRow> units;
  for (const Row& row : rows) units.push_back(unitRow(row));
  return units;
}

std::optional<UnitRow> Ledger::onBoard(const std::string& board) {
  if (board.empty()) return std::nullopt;
  const Rows rows = database_.run(
      fmt::format("SELECT {} FROM unit WHERE ledger = ? AND board = ? ORDER BY id DESC LIMIT 1", kUnitColumns),
      {name(), board});
  if (rows.empty()) return std::nullopt;
  return unitRow(rows[0]);
}

std::optional<UnitRow> Ledger::withValue(const units::Field& field, const std::string& text) {
  std::uint64_t id = 0;
  if (field.source.kind == units::Source::Count) {
    const auto value = units::numberOf(field, text);
    const units::Source& source = field.source;
    if (!value || *value < source.first || *value > source.last || (*value - source.first) % source.step != 0)
      return std::nullopt;
    id = (*value - source.first) / source.step + 1;
  } else if (isClaimed(field)) {
    const Rows rows = database_.run("SELECT id FROM unit_value WHERE ledger = ? AND field = ? AND value = ?",
                                    {name(), field.name, field.secret ? secretHash(text) : text});
    if (!rows.empty()) id = rows[0][0].number();
  }
  const Rows rows = database_.run(
      fmt::format("SELECT {} FROM unit WHERE ledger = ? AND id = ? AND state <> 'free'", kUnitColumns), {name(), id});
  if (rows.empty()) return std::nullopt;
  return unitRow(rows[0]);
}

std::vector<UnitEvent> Ledger::events(std::uint64_t id) {
  // Times may go back where a clock was set; the order of the rows does not.
  const Rows rows = database_.run(
      "SELECT state, at, station, process, run, why FROM unit_event WHERE ledger = ? AND id = ? ORDER BY seq",
      {name(), id});
  std::vector<UnitEvent> events;
  for (const Row& row : rows) {
    events.push_back(
        {unitStateNamed(row[0].text()), row[1].text(), row[2].text(), row[3].text(), row[4].text(), row[5].text()});
  }
  return events;
}

}  // namespace imprimo::records
