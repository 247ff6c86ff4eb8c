// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <fstream>
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/store/folders.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "records/record_export.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

struct RecordsOptions : CommonOptions {
  std::string action, unit, title, station, result, from, to, before, why;
  std::vector<std::string> what;
  std::optional<std::uint32_t> most;
};

void addOptions(OptionList& own, RecordsOptions& options) {
  own.option("ACTION", options.action, "list, show, export, import, backup, restore or remove; none: list");
  own.option("WHAT", options.what, "a record's ID for show; files for export, import, backup and restore");
  own.option("--unit", options.unit, "of the unit with this number or value").typeName("VALUE");
  own.option("--title", options.title, "of the sheet with this title").typeName("TEXT");
  own.option("--station", options.station, "of this station").typeName("NAME");
  own.option("--result", options.result, "with this result; good or bad for any such").typeName("RESULT");
  own.option("--from", options.from, "from this day on, in UTC").typeName("DAY");
  own.option("--to", options.to, "until this day, included").typeName("DAY");
  own.option("--most", options.most, "no more than these, the newest; otherwise 100")
      .typeName("N")
      .number(1, 1'000'000);
  own.option("--before", options.before, "remove: records from before this day").typeName("DAY");
  own.option("--why", options.why, "remove: why").typeName("TEXT");
}

records::Search searchOf(const RecordsOptions& options) {
  return {options.unit, options.title, options.station, options.result, options.from, options.to};
}

Json rowJson(const records::KeptRecord& r) {
  Json json = {{"id", r.id},           {"started", r.started}, {"zone", r.zone},      {"seconds", r.seconds},
               {"station", r.station}, {"person", r.person},   {"sheet", r.sheet},    {"title", r.title},
               {"target", r.target},   {"result", r.result},   {"message", r.message}};
  if (r.unit != 0) json["unit"] = {{"ledger", r.ledger}, {"id", r.unit}};
  if (!r.step.empty()) json["step"] = r.step;
  return json;
}

int list(records::RecordStore& store, const RecordsOptions& options, const Context& context) {
  constexpr std::uint32_t kUsual = 100;
  constexpr std::size_t kShown = 13;
  const records::Search search = searchOf(options);
  const auto found = store.find(search, options.most.value_or(kUsual));
  if (options.json) {
    Json rows = Json::array();
    for (const records::KeptRecord& record : found) rows.push_back(rowJson(record));
    print(context, {{"records", std::move(rows)}, {"count", store.count(search)}});
    return 0;
  }
  for (const records::KeptRecord& r : found) {
    context.out << fmt::format("{:<13} {}  {:<12} {:<14} {:<10} {}\n", r.id.substr(0, kShown), r.started, r.result,
                               r.target, r.unit == 0 ? "" : fmt::format("unit {}", r.unit), r.title);
  }
  const std::uint64_t all = store.count(search);
  if (all > found.size()) context.err << fmt::format("{} of {}; --most shows more\n", found.size(), all);
  if (all == 0) context.err << "No record is like that.\n";
  return 0;
}

int show(records::RecordStore& store, const RecordsOptions& options, const Context& context) {
  if (options.what.size() != 1) throw Error(ErrorKind::Usage, "show takes the ID of a record");
  const records::KeptRecord record = store.record(options.what.front());
  if (options.json) {
    print(context, Json::parse(record.text));
  } else {
    context.out << record.text;
  }
  return 0;
}

/// By the name of the file: CSV, or JSON for any other name.
int exportTo(records::RecordStore& store, const RecordsOptions& options, const Context& context) {
  if (options.what.size() != 1)
    throw Error(ErrorKind::Usage, "export takes a file: NAME.csv or NAME.json",
                "The rest of what is to be in it says --from, --unit and so on.");
  const std::filesystem::path file = options.what.front();
  std::string text;
  const auto write = [&](const std::string& more) { text += more; };
  const records::Search search = searchOf(options);
  if (file.extension() == ".csv") {
    records::exportCsv(store, search, write);
  } else {
    records::exportJson(store, search, write);
  }
  writeFileAtomically(file, text);
  const std::uint64_t count = store.count(search);
  if (options.json)
    print(context, {{"exported", count}, {"file", file.string()}});
  else
    context.out << fmt::format("{} in {}.\n", countText(count, "record"), file.string());
  return 0;
}

int import(records::RecordStore& store, const RecordsOptions& options, const Context& context) {
  std::vector<std::string> from = options.what;
  if (from.empty()) from.push_back((store::dataFolder() / "records").string());
  std::size_t added = 0;
  for (const std::string& each : from) added += records::importRecords(store, each);
  if (options.json)
    print(context, {{"imported", added}});
  else
    context.out << fmt::format("{} read in.\n", countText(added, "new record"));
  return 0;
}

int copyStore(records::Database& database, const RecordsOptions& options, const Context& context) {
  if (options.what.size() != 1) throw Error(ErrorKind::Usage, options.action + " takes one file");
  const std::string& file = options.what.front();
  if (options.action == "backup") {
    records::backUp(database, file);
  } else {
    records::restore(database, file);
  }
  if (options.json)
    print(context, {{options.action, file}});
  else
    context.out << (options.action == "backup" ? "All is in " : "All is back from ") << file << ".\n";
  return 0;
}

int remove(records::RecordStore& store, const RecordsOptions& options, const Context& context) {
  if (options.before.empty())
    throw Error(ErrorKind::Usage, "remove takes --before DAY", "Records of that day and later stay.");
  if (options.why.empty()) throw Error(ErrorKind::Usage, "records are removed for a reason", "Say it with --why TEXT.");
  const std::uint64_t removed = store.removeBefore(options.before, records::personName(), options.why);
  if (options.json)
    print(context, {{"removed", removed}});
  else
    context.out << fmt::format("{} removed; that they were is kept.\n", countText(removed, "record"));
  return 0;
}

int runRecords(const RecordsOptions& options, const Context& context) {
  records::Database database(records::chosenStore(context.store));
  records::sendWaiting(database);
  records::RecordStore store(database);
  const std::string& action = options.action;
  if (action.empty() || action == "list") return list(store, options, context);
  if (action == "show") return show(store, options, context);
  if (action == "export") return exportTo(store, options, context);
  if (action == "import") return import(store, options, context);
  if (action == "backup" || action == "restore") return copyStore(database, options, context);
  if (action == "remove") return remove(store, options, context);
  throw Error(ErrorKind::Usage, "'" + action + "' is nothing that is done with records",
              "It is list, show, export, import, backup, restore or remove.");
}

}  // namespace

CommandRow recordsCommand() {
  return commandRow<RecordsOptions>("records", "find, show, export and keep the records of runs", addOptions,
                                    runRecords);
}

}  // namespace imprimo::ctl
