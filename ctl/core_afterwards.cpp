// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/core_afterwards.h"

#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/json.h"
#include "core/bench/core_memory.h"
#include "core/run/configure_runner.h"
#include "core/run/core_runs.h"
#include "core/run/job.h"
#include "core/run/word_runs.h"
#include "ctl/outcome_json.h"

namespace imprimo::ctl {

CoreAfterwards::CoreAfterwards(const sheet::Sheet& sheet, const std::vector<plan::Wanted>& all, bool whole)
    : sheet_(sheet) {
  for (const sheet::CoreEntry& core : sheet.cores) {
    const bool worked = whole || std::any_of(all.begin(), all.end(), [&](const plan::Wanted& wanted) {
                          const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(wanted.memory).route);
                          return route != nullptr && route->core == core.name;
                        });
    if (!worked) continue;
    if (!core.words.empty()) {
      run::wordsWanted(sheet, core.name);
      words_.push_back(core.name);
    }
    if (core.lock) {
      run::lockPlan(bench::cardOf(sheet, core), core.name);
      // One of several memories is not all of them: the lock would shut out the others.
      const bool only = all.size() == 1 && run::isOnlyMemoryOf(sheet, core.name, all.front().memory);
      (whole || only ? locks_ : leftOpen_).push_back(core.name);
    }
  }
}

void CoreAfterwards::announce(const Context& context) const {
  for (const std::string& core : leftOpen_)
    context.err << fmt::format(
        "imprimoctl: {} is not locked by this run: other memories of it have files; program the whole sheet\n", core);
  for (const std::string& core : locks_)
    context.err << fmt::format("imprimoctl: {} is locked at the end, as the sheet says: {} can no longer be read\n",
                               core, bench::cardOf(sheet_, sheet_.core(core)).lock.closes);
}

int CoreAfterwards::carryOut(bench::Bench& bench, const RunOptions& options, const Context& context, bool changed,
                             nlohmann::ordered_json& outcomes) const {
  store::UserSeams seams;
  const auto observer = terminalObserver(options, context);
  const auto took = [&](const run::Record& record, const char* task) {
    tell(record, options, context);
    nlohmann::ordered_json json = {{"task", task}};
    json.update(outcomeJson(record));
    outcomes.push_back(std::move(json));
    const int exitCode = exitCodeOf(record);
    // A refusal does not undo what was done before it.
    const bool partWay = exitCode >= 1 && exitCode <= 3 && changed;
    changed = changed || record.changed;
    return partWay ? 4 : exitCode;
  };
  // With one core its own restart is all there is to restart.
  const bool alone = sheet_.cores.size() == 1 && sheet_.chain.size() <= 1;
  for (const std::string& core : words_) {
    run::WordsWanted wanted = run::wordsWanted(sheet_, core);
    wanted.restart = wanted.restart && alone;
    wanted.earlier = earlierWork(options);
    const auto record = run::writeWords(wanted, bench, seams.all, *observer, context.stop, options.dryRun);
    if (const int exitCode = took(*record, "words"); exitCode != 0) return exitCode;
  }
  if (!words_.empty() && sheet_.restartAfter && !alone && !options.dryRun) {
    const auto record = run::restartTarget(bench, seams.records, *observer, context.stop);
    if (const int exitCode = took(*record, "restart"); exitCode != 0) return exitCode;
  }
  for (const std::string& core : locks_) {
    if (options.dryRun) break;  // it was announced, and nothing of it can be known before
    const auto record = run::lockCore(bench, core, seams.records, *observer, context.stop);
    if (const int exitCode = took(*record, "lock"); exitCode != 0) return exitCode;
  }
  return 0;
}

}  // namespace imprimo::ctl
