// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/unit_work.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/json.h"
#include "core/run/job.h"
#include "ctl/runs.h"
#include "records/set_aside.h"

namespace imprimo::ctl {
namespace {

std::map<std::string, std::string> givenFields(const WorkOptions& options) {
  std::map<std::string, std::string> given;
  for (const std::string& text : options.fields) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0)
      throw Error(ErrorKind::Usage, fmt::format("--field takes NAME=VALUE, not '{}'", text));
    given[text.substr(0, equals)] = text.substr(equals + 1);
  }
  return given;
}

}  // namespace

Json unitJson(std::uint64_t id, const std::string& state, const std::map<std::string, std::string>& fields) {
  Json json = {{"id", id}};
  if (!state.empty()) json["state"] = state;
  json["fields"] = Json::object();
  for (const auto& [name, value] : fields) json["fields"][name] = value;
  return json;
}

void addUnit(OptionList& own, WorkOptions& options) {
  own.option("--unit", options.unit, "the unit whose numbers go in: next, or the number of one").typeName("next|ID");
  own.option("--field", options.fields, "a value that is given by hand; can be repeated")
      .typeName("NAME=VALUE")
      .oneEach();
  own.flag("--from-set-aside", options.fromAside, "of those set aside for this station, where the server is away");
  own.flag("--renumber", options.renumber, "a board that has a unit's numbers gets new ones");
}

UnitWork::UnitWork(plan::Task task, const WorkOptions& options, const Context& context, const sheet::Sheet& sheet)
    : task_(task), options_(options), context_(context), usual_(context.store) {
  if (options.unit.empty()) {
    if (!options.fields.empty() || options.renumber)
      throw Error(ErrorKind::Usage, "--field and --renumber are for a unit", "Name it with --unit.");
    if (task == plan::Task::Program && sheet.units)
      context.err << "imprimoctl: the sheet has numbers for units; without --unit they are not written\n";
    return;
  }
  if (!options.places.empty() || !options.memory.empty())
    throw Error(ErrorKind::Usage, "--unit is for the whole sheet", "Leave MEMORY and --place out.");
  const auto id = records::unitNumber(options.unit);
  if (task == plan::Task::Verify && !id) throw Error(ErrorKind::Usage, "--unit next is not there yet: name its number");
  bool aside = false;
  try {
    database_ = std::make_unique<records::Database>(records::chosenStore(context.store));
    records::sendWaiting(*database_);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoStore || !options.fromAside || id) throw;
    context.err << "imprimoctl: " << e.what() << "; going on with the units that were set aside\n";
    database_ = std::make_unique<records::Database>(records::setAsideStore());
    aside = true;
  }
  unit_ = std::make_unique<records::UnitRun>(sheet, *database_,
                                             records::WhichUnit{id, givenFields(options), options.renumber, aside});
}

sheet::Sheet UnitWork::planned(const sheet::Sheet& sheet) {
  return unit_ ? unit_->planned(task_ == plan::Task::Verify) : sheet;
}

sheet::Sheet UnitWork::begin(const sheet::Sheet& sheet, bench::Bench& bench) {
  if (!unit_ || !reserves()) return sheet;
  sheet::Sheet with = unit_->begin(bench, [&](const std::string& memory, const std::vector<AddressRange>& ranges) {
    plan::Wanted look = run::wantedFor(sheet, memory, plan::Task::Read);
    look.ranges = ranges;
    if (options_.wait) look.waitSeconds = options_.wait;
    look.earlier = earlierWork(options_);
    requireGood(*runAside(look, bench, context_));
  });
  const units::Unit& unit = unit_->unit();
  std::string fields;
  for (const auto& [name, value] : unit.fields)
    fields += fmt::format("{}{} {}", fields.empty() ? "" : ", ", name, value);
  context_.err << fmt::format("imprimoctl: unit {}{}: {}\n", unit.id, unit_->cameBack() ? ", which came back" : "",
                              fields);
  bench.setSheet(with);
  return with;
}

const run::RunSeams& UnitWork::seams() {
  if (!seams_) seams_.emplace(unit_ && reserves() ? unit_->seams(usual_.all) : usual_.all);
  return *seams_;
}

int UnitWork::settle(int exitCode, Json& json) {
  if (!unit_) return exitCode;
  if (reserves()) unit_->settle(exitCode == 0, json.contains("message") ? json["message"].get<std::string>() : "");
  const units::Unit& unit = unit_->unit();
  if (reserves() && !options_.json) context_.out << fmt::format("Unit {} is {}.\n", unit.id, unit.state);
  json["unit"] = unitJson(unit.id, unit.state, unit.fields);
  return exitCode;
}

}  // namespace imprimo::ctl
