// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/ledger.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/json.h"
#include "core/base/number.h"
#include "ctl/command.h"
#include "ctl/option_help.h"
#include "ctl/session.h"
#include "ctl/unit_work.h"
#include "records/set_aside.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

struct LedgerOptions : CommonOptions {
  std::string sheet, action, what, state, why;
  bool aside = false;
};

void addOptions(OptionList& own, LedgerOptions& options) {
  addSheet(own, options.sheet);
  own.option("ACTION", options.action, "reserve, list or void").required();
  own.option("WHAT", options.what, "how many to reserve, or the number of the unit that is void");
  own.option("--state", options.state, "list only reserved, used, failed or void").typeName("STATE");
  own.flag("--set-aside", options.aside, "reserve: for this station, to go on with while the server is away");
  own.option("--why", options.why, "why a reservation is void").typeName("TEXT");
}

std::string fieldsText(const records::UnitRow& unit) {
  std::string text;
  for (const auto& [name, value] : unit.fields) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", name, value);
  return text;
}

int reserve(records::Ledger& ledger, const LedgerOptions& options, const Context& context) {
  constexpr std::uint64_t kMost = 100'000;
  const auto count = options.what.empty() ? std::optional<std::uint64_t>(1) : parseNumber(options.what);
  if (!count || *count == 0 || *count > kMost)
    throw Error(ErrorKind::Usage, "'" + options.what + "' is no number of units", fmt::format("It is 1 to {}.", kMost));
  if (options.aside) {
    records::setAside(ledger, *count);
    const std::uint64_t left = records::leftAside(ledger.name());
    if (options.json) {
      print(context, {{"set_aside", left}});
    } else {
      context.out << fmt::format("{} set aside for this station.\n", countText(left, "unit"));
    }
    return 0;
  }
  units::Inputs inputs;
  inputs.today = std::chrono::floor<std::chrono::days>(std::chrono::system_clock::now());
  const auto units = ledger.reserve(*count, inputs, records::freshRunName());
  for (const records::UnitRow& unit : units) {
    if (options.json) {
      print(context, unitJson(unit.id, {}, unit.fields));
    } else {
      context.out << fmt::format("{:>8}  {}\n", unit.id, fieldsText(unit));
    }
  }
  return 0;
}

int list(records::Ledger& ledger, const LedgerOptions& options, const Context& context) {
  std::optional<records::UnitState> state;
  if (!options.state.empty()) state = records::unitStateNamed(options.state);
  Json units = Json::array();
  for (const records::UnitRow& unit : ledger.list(state)) {
    if (!options.json) {
      context.out << fmt::format("{:>8}  {:<9} {}  {:<16} {}\n", unit.id, nameOf(unit.state), unit.at, unit.station,
                                 fieldsText(unit));
      continue;
    }
    Json json = unitJson(unit.id, nameOf(unit.state), unit.fields);
    json["time"] = unit.at;
    json["station"] = unit.station;
    units.push_back(std::move(json));
  }
  if (options.json) print(context, {{"units", std::move(units)}});
  return 0;
}

int makeVoid(records::Ledger& ledger, const LedgerOptions& options, const Context& context) {
  const auto id = parseNumber(options.what);
  if (!id) throw Error(ErrorKind::Usage, "void takes the number of a unit");
  if (options.why.empty()) throw Error(ErrorKind::Usage, "a unit is made void for a reason", "Say it with --why TEXT.");
  ledger.makeVoid(*id, options.why);
  if (options.json) {
    print(context, unitJson(*id, "void", ledger.unit(*id).fields));
  } else {
    context.out << fmt::format("Unit {} is void. Its numbers are never given again.\n", *id);
  }
  return 0;
}

int runLedger(const LedgerOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  if (!sheet.units)
    throw Error(ErrorKind::Usage, "the sheet says nothing of numbers for units", "Define them under \"units\" in it.");
  const units::ValueMaker maker(*sheet.units, sheet.folder());
  records::Database database(records::chosenStore(context.store));
  records::sendWaiting(database);
  records::Ledger ledger(database, maker);
  if (options.action == "reserve") return reserve(ledger, options, context);
  if (options.action == "list") return list(ledger, options, context);
  if (options.action == "void") return makeVoid(ledger, options, context);
  throw Error(ErrorKind::Usage, "'" + options.action + "' is nothing that is done with a ledger",
              "It is reserve, list or void.");
}

}  // namespace

CommandRow ledgerCommand() {
  return commandRow<LedgerOptions>("ledger", "reserve numbers for units, see who has which, make a reservation void",
                                   addOptions, runLedger);
}

}  // namespace imprimo::ctl
