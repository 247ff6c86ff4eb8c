// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/core_afterwards.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/json.h"
#include "core/bench/cores/cores.h"
#include "core/run/configure_runner.h"
#include "core/run/core_runs.h"
#include "ctl/outcome_json.h"

namespace imprimo::ctl {

void announce(const run::AfterMemories& after, const sheet::Sheet& sheet, const Context& context) {
  for (const std::string& core : after.notLocked)
    context.err << fmt::format(
        "imprimoctl: {} is not locked by this run: other memories of it have files; program the whole sheet\n", core);
  for (const std::string& core : after.locks)
    context.err << fmt::format("imprimoctl: {} is locked at the end, as the sheet says: {} can no longer be read\n",
                               core, bench::cardOf(sheet, sheet.core(core)).lock.closes);
}

int carryOut(const run::AfterMemories& after, bench::Bench& bench, const RunOptions& options, const Context& context,
             bool changed, const run::RunSeams& seams, nlohmann::ordered_json& outcomes) {
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
  for (run::WordsWanted wanted : after.words) {
    wanted.earlier = earlierWork(options);
    const auto record = run::writeWords(wanted, bench, seams, *observer, context.stop, options.dryRun);
    if (const int exitCode = took(*record, "words"); exitCode != 0) return exitCode;
  }
  if (after.restart && !options.dryRun) {
    const auto record = run::restartTarget(bench, seams.records, *observer, context.stop);
    if (const int exitCode = took(*record, "restart"); exitCode != 0) return exitCode;
  }
  for (const std::string& core : after.locks) {
    if (options.dryRun) break;  // it was announced, and nothing of it can be known before
    const auto record = run::lockCore(bench, core, seams.records, *observer, context.stop);
    if (const int exitCode = took(*record, "lock"); exitCode != 0) return exitCode;
  }
  return 0;
}

}  // namespace imprimo::ctl
