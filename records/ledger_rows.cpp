// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/ledger_rows.h"

#include <QUuid>
#include <array>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/utc.h"
#include "core/run/run_notes.h"
#include "records/secret_hash.h"

namespace imprimo::records {
namespace {

constexpr std::array<std::pair<UnitState, const char*>, 4> kStates{{{UnitState::Reserved, "reserved"},
                                                                    {UnitState::Used, "used"},
                                                                    {UnitState::Failed, "failed"},
                                                                    {UnitState::Void, "void"}}};

}  // namespace

const char* nameOf(UnitState state) {
  for (const auto& [each, name] : kStates) {
    if (each == state) return name;
  }
  return "";
}

UnitState unitStateNamed(const std::string& name) {
  for (const auto& [state, each] : kStates) {
    if (name == each) return state;
  }
  throw Error(ErrorKind::Usage, "'" + name + "' is no state of a unit", "It is reserved, used, failed or void.");
}

std::string freshRunName() {
  return QUuid::createUuid().toString(QUuid::WithoutBraces).toStdString();
}

UnitRow unitRow(const Row& row) {
  UnitRow unit;
  unit.id = row[0].number();
  unit.state = unitStateNamed(row[1].text());
  unit.fields = fieldsOf(row[2].text());
  unit.board = row[3].text();
  unit.at = row[4].text();
  unit.station = row[5].text();
  unit.run = row[6].text();
  return unit;
}

void storeEvent(Database& database, const std::string& ledger, const Ledger::News& news, const std::string& at) {
  const char* const meanwhile = "made void meanwhile; ";
  const std::string state = nameOf(news.state.value_or(UnitState::Reserved));
  database.run(
      "INSERT INTO unit_event (ledger, id, state, at, station, process, run, why) SELECT ledger, id, ?, ?, ?, ?, ?, "
      "CASE WHEN state = 'void' THEN ? ELSE ? END FROM unit WHERE ledger = ? AND id = ?",
      {state, at, stationName(), run::thisProcess(), news.run, meanwhile + news.why, news.why, ledger, news.id});
}

void storeState(Database& database, const std::string& ledger, const Ledger::News& news) {
  const std::string at = utcNow();
  storeEvent(database, ledger, news, at);  // while the state is still the one before
  database.run("UPDATE unit SET state = ?, at = ?, station = ?, run = ? WHERE ledger = ? AND id = ?",
               {nameOf(news.state.value_or(UnitState::Reserved)), at, stationName(), news.run, ledger, news.id});
}

bool hasState(Database& database, const std::string& ledger, const Ledger::News& news) {
  return !database
              .run("SELECT 1 FROM unit_event WHERE ledger = ? AND id = ? AND state = ? AND run = ?",
                   {ledger, news.id, nameOf(news.state.value_or(UnitState::Reserved)), news.run})
              .empty();
}

std::string keptFields(const units::Definition& definition, const units::Values& values) {
  nlohmann::ordered_json json = nlohmann::ordered_json::object();
  for (const units::Field& field : definition.fields) {
    const auto at = values.find(field.name);
    if (at != values.end()) json[field.name] = field.secret ? secretHash(at->second.text) : at->second.text;
  }
  return json.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
}

std::map<std::string, std::string> fieldsOf(const std::string& text) {
  std::map<std::string, std::string> fields;
  const auto json = nlohmann::ordered_json::parse(text, nullptr, false);
  if (!json.is_object()) return fields;
  for (const auto& [name, value] : json.items()) {
    if (value.is_string()) fields.emplace(name, value.get<std::string>());
  }
  return fields;
}

}  // namespace imprimo::records
