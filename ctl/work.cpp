// SPDX-License-Identifier: GPL-3.0-or-later

#include <fmt/format.h>
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/memory_kinds.h"
#include "core/image/compare.h"
#include "core/run/job.h"
#include "core/store/folder_notes.h"
#include "core/store/folders.h"
#include "ctl/command.h"
#include "ctl/core_afterwards.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/output_file.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "ctl/unit_work.h"
#include "ctl/work.h"

namespace imprimo::ctl {
namespace {

constexpr int kStoppedDeviceWay = 4;

std::vector<AddressRange> rangeOptions(const WorkOptions& options) {
  std::vector<AddressRange> ranges;
  for (const std::string& text : options.ranges) {
    const auto range = parseRange(text);
    // Its end would need one address more than there are.
    if (!range && text.ends_with("..0xFFFFFFFFFFFFFFFF")) {
      throw Error(ErrorKind::Usage, fmt::format("--range {} reaches past the end of every memory", text),
                  "Use --all where all of it is meant, or leave --range out.");
    }
    if (!range) {
      throw Error(ErrorKind::Usage, fmt::format("--range takes A..B (both ends included) or A+N, not '{}'", text),
                  "For example 0x10000..0x1FFFF or 1M+64K.");
    }
    ranges.push_back(*range);
  }
  return ranges;
}

std::vector<AddressRange> listedRanges(const sheet::Sheet& sheet, const std::string& memory) {
  std::vector<AddressRange> ranges = sheet.listedToErase(memory);
  if (ranges.empty()) throw Error(ErrorKind::Usage, fmt::format("the sheet lists nothing to erase in {}", memory));
  return ranges;
}

/// All memories are asked before any of them is changed: the record of the first that cannot be what is wanted, or
/// null.
run::RecordPtr firstRefused(const std::vector<plan::Wanted>& all, bench::Bench& bench, const Context& context) {
  for (const plan::Wanted& wanted : all) {
    plan::Wanted reach = wanted;
    reach.task = plan::Task::Reach;
    reach.restart = false;
    if (run::RecordPtr record = runAside(reach, bench, context); !record->good()) return record;
    plan::desiredContents(wanted, bench.at(wanted.memory).identity().geometry);
  }
  return nullptr;
}

/// Every difference that the run found, with the bytes side by side.
void writeReport(const std::string& path, const run::Record& record, const std::vector<AddressRange>& secret,
                 bench::Bench& bench) {
  if (!bench.at(record.memory).identified()) return;
  constexpr std::size_t kRows = 16;
  MemoryImage planned = record.plan->target;
  for (const AddressRange& range : secret) planned.erase(range);
  const MemoryImage found = heldWhere(planned, bench.at(record.memory).contents().bytes());
  writeFileAtomically(path,
                      differenceReport(planned, found, compareImages(planned, found), "planned", record.memory, kRows));
}

/// What is wanted of one memory, looked over as far as that is possible without a probe.
plan::Wanted wantedOf(plan::Task task, const WorkOptions& options, const sheet::Sheet& sheet, const std::string& name,
                      const std::optional<std::vector<Placement>>& given, const Context& context) {
  const bool files = task == plan::Task::Program || task == plan::Task::Verify;
  plan::Wanted wanted = run::wantedFor(sheet, name, task, given, {false, context.stop});
  if (!files) wanted.ranges = rangeOptions(options);
  if (options.listed) wanted.ranges = listedRanges(sheet, name);
  if (options.reads) wanted.trialReads = *options.reads;
  if (options.wait) wanted.waitSeconds = options.wait;
  wanted.all = options.all || (task == plan::Task::Blank && wanted.ranges.empty());
  wanted.noErase = options.noErase;
  wanted.noVerify = options.noVerify;
  wanted.wholeBlocks = options.wholeBlocks;
  wanted.skipKept = options.skipKept;
  wanted.leaveProtection = options.leaveProtection;
  wanted.earlier = earlierWork(options);
  if (const auto geometry = bench::geometryOnPaper(sheet, name)) {
    plan::Knowledge onPaper;
    onPaper.geometry = geometry;
    plan::makePlan(wanted, onPaper);
  }
  if (task == plan::Task::Program) {
    std::vector<Finding> findings = run::lookedOver(sheet, wanted);
    std::erase_if(findings, [](const Finding& f) { return f.level != Finding::Trouble; });
    context.err << findingsText(findings);
  }
  return wanted;
}

/// What is to be done to each memory that is asked for.
std::vector<plan::Wanted> allWanted(plan::Task task, const WorkOptions& options, const sheet::Sheet& sheet,
                                    const Context& context) {
  const bool files = task == plan::Task::Program || task == plan::Task::Verify;
  std::vector<std::string> names;
  if (!files || !options.memory.empty() || !options.places.empty()) {
    names = {oneMemory(options, sheet)};
  } else {
    names = run::memoriesWithPlacements(sheet);
    if (names.empty())
      throw Error(ErrorKind::Usage, "the sheet places no file in any memory", "Add placements, or use --place.");
  }
  std::optional<std::vector<Placement>> given;
  if (!options.places.empty()) {
    given.emplace();
    for (const std::string& place : options.places) {
      given->push_back(parsePiece(place));
      given->back().memory = names.front();
      given->back().large = options.large;
    }
  }
  std::vector<plan::Wanted> all;
  for (const std::string& name : names) all.push_back(wantedOf(task, options, sheet, name, given, context));
  return all;
}

/// The target starts again once, when everything is in place.
void restartOnce(std::vector<plan::Wanted>& all, const run::AfterMemories& after) {
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (i + 1 < all.size() || !after.words.empty()) all[i].restart = false;
  }
}

/// What the sheet wants of its cores behind their memories; the answer is that of the first that fails.
int addAfterwards(const run::AfterMemories& after, bench::Bench& bench, const WorkOptions& options,
                  const Context& context, bool changed, const run::RunSeams& seams, Json& json) {
  Json outcomes = Json::array();
  const int exitCode = carryOut(after, bench, options, context, changed, seams, outcomes);
  if (exitCode != 0) {
    for (const char* key : {"result", "kind", "message"}) {
      if (outcomes.back().contains(key)) json[key] = outcomes.back()[key];
    }
  }
  json["afterwards"] = std::move(outcomes);
  return exitCode;
}

}  // namespace

int work(plan::Task task, const WorkOptions& options, const Context& context) {
  sheet::Sheet sheet = openSheet(options.sheet, options, context);
  UnitWork unit(task, options, context, sheet);
  sheet = unit.planned(sheet);
  requireNoInput(options.report, options, {{}, options.places}, &sheet);
  // Everything that can be wrong with files and ranges is found before the probe is touched.
  std::vector<plan::Wanted> all = allWanted(task, options, sheet, context);
  const bool programs = task == plan::Task::Program;
  std::vector<std::string> names;
  for (const plan::Wanted& wanted : all) {
    if (programs) names.push_back(wanted.memory);
  }
  const bool whole = programs && options.memory.empty() && options.core.empty() && options.places.empty();
  run::AfterMemories after = run::afterMemories(sheet, names, whole);
  announce(after, sheet, context);
  const auto bench = openBench(options, context, sheet);
  sheet = unit.begin(sheet, *bench);
  if (!options.unit.empty()) {  // what was planned until now may be another station's unit by now
    all = allWanted(task, options, sheet, context);
    after = run::afterMemories(sheet, names, whole);
  }
  restartOnce(all, after);
  Json several = Json::array();
  if (all.size() > 1 && task == plan::Task::Program && !options.dryRun) {
    if (const auto refused = firstRefused(all, *bench, context)) {
      tell(*refused, options, context);
      Json named = {{"name", refused->memory}};
      named.update(outcomeJson(*refused));
      Json json = {{"memories", Json::array({named})}};
      const int exitCode = unit.settle(exitCodeOf(*refused), json);
      if (options.json) print(context, json);
      return exitCode;
    }
  }
  int exitCode = 0;
  bool changed = false;
  for (const plan::Wanted& wanted : all) {
    const run::RecordPtr ran = runOne(wanted, *bench, options, context, unit.seams());
    const run::Record& record = *ran;
    tell(record, options, context);
    if (!options.report.empty()) writeReport(options.report, record, wanted.secret, *bench);
    exitCode = exitCodeOf(record);
    // A refusal of one memory does not undo what was done to those before it.
    if (exitCode >= 1 && exitCode <= 3 && changed) exitCode = kStoppedDeviceWay;
    changed = changed || record.changed;
    Json json = outcomeJson(record);
    if (all.size() == 1) {
      if (exitCode == 0 && !after.empty())
        exitCode = addAfterwards(after, *bench, options, context, changed, unit.seams(), json);
      exitCode = unit.settle(exitCode, json);
      if (options.json) print(context, json);
      return exitCode;
    }
    Json named = {{"name", wanted.memory}};
    named.update(json);
    several.push_back(std::move(named));
    if (exitCode != 0) break;
  }
  Json json = {{"memories", several}};
  if (exitCode == 0 && !after.empty())
    exitCode = addAfterwards(after, *bench, options, context, changed, unit.seams(), json);
  exitCode = unit.settle(exitCode, json);
  if (options.json) print(context, json);
  return exitCode;
}

}  // namespace imprimo::ctl
