// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct CoresOptions : SheetOptions {
  std::string named;
  bool halt = false, watch = false;
};

void addOptions(OptionList& own, CoresOptions& options) {
  own.option("SHEET", options.sheet, "the job sheet").required();
  own.option("CORE", options.named, "only this one");
  addCore(own, options);
  own.flag("--halt", options.halt, "halt it for a moment, so that its registers can be read");
  own.flag("--watch", options.watch, "sample it for a second: whether it runs, and where");
}

/// What a fault left, as far as it is known.
Json faultJson(const debug::CoreFault& fault) {
  const auto word = [](std::uint32_t value) { return fmt::format("0x{:08x}", value); };
  Json json = {{"exception", fault.exceptionName()}, {"reasons", fault.reasons}};
  if (fault.pc) json["pc"] = word(*fault.pc);
  if (fault.lr) json["lr"] = word(*fault.lr);
  if (fault.address) json["address"] = word(*fault.address);
  return json;
}

Json watchJson(const debug::CoreWatch& watch) {
  Json json = {{"verdict", debug::nameOf(watch.verdict)}, {"words", watch.words()}, {"samples", watch.samples}};
  constexpr std::size_t kMost = 5;
  for (std::size_t i = 0; i < std::min(kMost, watch.places.size()); ++i)
    json["places"].push_back(
        {{"pc", fmt::format("0x{:08x}", watch.places[i].pc)}, {"samples", watch.places[i].samples}});
  return json;
}

Json coreJson(bench::BenchCore& core, const CoresOptions& options, const std::stop_token& stop) {
  const bench::CoreReport report = core.lookAt(options.halt);
  const bool swd = core.entry().port == sheet::CoreEntry::Port::Swd;
  const auto word = [](std::uint32_t value) { return fmt::format("0x{:08x}", value); };
  if (report.notStarted)
    return {{"name", report.name},
            {"port", swd ? "swd" : "jtag"},
            {"dpidr", word(report.dpidr)},
            {"started", false},
            {"started_by", core.entry().startedBy->core}};
  // Of one that is locked no more can be known.
  if (report.locked) {
    Json closed = {{"name", report.name},
                   {"port", swd ? "swd" : "jtag"},
                   {"dpidr", word(report.dpidr)},
                   {"locked", true},
                   {"unlock_known", !core.card().lock.unlock.empty()}};
    if (report.silent) closed["port_silent"] = true;
    if (!core.card().lock.destroys.empty()) closed["unlock_destroys"] = core.card().lock.destroys;
    return closed;
  }
  Json json = {{"name", report.name},         {"port", swd ? "swd" : "jtag"},
               {"dpidr", word(report.dpidr)}, {"core", debug::cpuidText(report.cpuid)},
               {"cpuid", word(report.cpuid)}, {"state", debug::nameOf(report.state)}};
  if (report.pc) json["pc"] = word(*report.pc);
  if (report.sp) json["sp"] = word(*report.sp);
  if (report.fault) json["fault"] = faultJson(*report.fault);
  if (options.watch) json["watch"] = watchJson(core.watch(stop));
  if (!report.messages.empty()) json["messages"] = report.messages;
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
  if (!json.value("started", true)) {
    out << fmt::format("{}: not started yet: {} starts it\n", text("name"), text("started_by"));
    return;
  }
  if (json.value("locked", false)) {
    out << fmt::format("{}: locked: the debug port answers ({}){}, and its memory is closed\n", text("name"),
                       text("dpidr"), json.value("port_silent", false) ? " only while the reset is held" : "");
    out << (json.value("unlock_known", false) ? fmt::format("    unlocking it destroys {}\n", text("unlock_destroys"))
                                              : std::string("    its card does not say how it is unlocked\n"));
    return;
  }
  out << fmt::format("{}: {}, {}{}{}\n", text("name"), text("core"), text("state"),
                     json.contains("pc") ? " at " + text("pc") : std::string(),
                     json.contains("sp") ? ", stack at " + text("sp") : std::string());
  out << fmt::format("    debug port {} on {}; its identity {} the card\n", text("dpidr"),
                     text("port") == "swd" ? "SWD" : "JTAG",
                     text("identity") == "match" ? "matches" : "does not match");
  if (json.contains("fault")) {
    const Json& fault = json["fault"];
    out << fmt::format("    in its {} handler{}\n", fault["exception"].get<std::string>(),
                       fault.contains("pc") ? " since the instruction at " + fault["pc"].get<std::string>() : "");
    for (const Json& reason : fault["reasons"]) out << fmt::format("    {}\n", reason.get<std::string>());
  }
  if (json.contains("messages")) {
    for (const Json& message : json["messages"])
      out << fmt::format("    its pack says: {}\n", message.get<std::string>());
  }
  if (json.contains("watch")) out << fmt::format("    it {}\n", json["watch"]["words"].get<std::string>());
  for (const Json& region : json["regions"])
    out << fmt::format("    {:<10} {:<6} {} to {}\n", region["name"].get<std::string>(),
                       region["kind"].get<std::string>(), region["from"].get<std::string>(),
                       region["to"].get<std::string>());
}

int runCores(const CoresOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  if (sheet.cores.empty()) throw Error(ErrorKind::Usage, "the sheet has no cores");
  std::vector<std::string> names;
  const std::string& only = options.named.empty() ? options.core : options.named;
  if (!only.empty()) names = {sheet.core(only).name};
  for (const sheet::CoreEntry& core : sheet.cores) {
    if (only.empty()) names.push_back(core.name);
  }
  const auto bench = openBench(options, context, sheet);
  bench->onlyAttach();
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  Json list = Json::array();
  for (const std::string& name : names) {
    bench::BenchCore& core = bench->core(name);
    if (core.wasResetToAttach())
      context.err << fmt::format("imprimoctl: {} did not answer, and was connected under reset\n", name);
    list.push_back(coreJson(core, options, context.stop));
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
