// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct CoresOptions : CommonOptions {
  std::string sheet, core;
  bool halt = false;
};

void addOptions(OptionList& own, CoresOptions& options) {
  own.option("SHEET", options.sheet, "the job sheet").required();
  own.option("CORE", options.core, "only this one");
  own.flag("--halt", options.halt, "halt it for a moment, so that its registers can be read");
}

Json coreJson(bench::BenchCore& core, bool halt) {
  const bench::CoreReport report = core.lookAt(halt);
  const auto word = [](std::uint32_t value) { return fmt::format("0x{:08x}", value); };
  Json json = {{"name", report.name},         {"port", "swd"},
               {"dpidr", word(report.dpidr)}, {"core", debug::cpuidText(report.cpuid)},
               {"cpuid", word(report.cpuid)}, {"state", debug::nameOf(report.state)}};
  if (report.pc) json["pc"] = word(*report.pc);
  if (report.sp) json["sp"] = word(*report.sp);
  json["identity"] = report.isTheCards ? "match" : "different";
  json["regions"] = Json::array();
  for (const debug::CoreRegion& region : core.card().regions) {
    json["regions"].push_back({{"name", region.name},
                               {"kind", region.flash ? "flash" : "ram"},
                               {"from", hexAddress(region.range.begin)},
                               {"to", hexAddress(region.range.end - 1)}});
  }
  return json;
}

void tellCore(const Json& json, std::ostream& out) {
  const auto text = [&](const char* key) { return json.value(key, std::string()); };
  out << fmt::format("{}: {}, {}{}{}\n", text("name"), text("core"), text("state"),
                     json.contains("pc") ? " at " + text("pc") : std::string(),
                     json.contains("sp") ? ", stack at " + text("sp") : std::string());
  out << fmt::format("    debug port {} on SWD; its identity {} the card\n", text("dpidr"),
                     text("identity") == "match" ? "matches" : "does not match");
  for (const Json& region : json["regions"])
    out << fmt::format("    {:<10} {:<6} {} to {}\n", region["name"].get<std::string>(),
                       region["kind"].get<std::string>(), region["from"].get<std::string>(),
                       region["to"].get<std::string>());
}

int runCores(const CoresOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  if (sheet.cores.empty()) throw Error(ErrorKind::Usage, "the sheet has no cores");
  std::vector<std::string> names;
  if (!options.core.empty()) names = {sheet.core(options.core).name};
  for (const sheet::CoreEntry& core : sheet.cores) {
    if (options.core.empty()) names.push_back(core.name);
  }
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  Json list = Json::array();
  for (const std::string& name : names) {
    list.push_back(coreJson(bench->core(name), options.halt));
    if (!options.json) tellCore(list.back(), context.out);
  }
  if (options.json) print(context, {{"cores", std::move(list)}});
  return 0;
}

}  // namespace

CommandRow coresCommand() {
  return commandRow<CoresOptions>("cores", "which cores answer, and what they do just now", addOptions, runCores);
}

}  // namespace imprimo::ctl
