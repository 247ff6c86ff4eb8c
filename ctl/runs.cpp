// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/runs.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/route_kinds.h"
#include "core/run/job.h"
#include "ctl/help_words.h"
#include "ctl/json_out.h"
#include "ctl/outcome_json.h"
#include "ctl/terminal.h"
#include "records/store_seams.h"

namespace imprimo::ctl {

std::unique_ptr<run::RunObserver> terminalObserver(const CommonOptions& options, const Context& context) {
  return std::make_unique<TerminalObserver>(LiveLine(context.err, context.terminal, !options.json), options.verbose);
}

run::RecordPtr runOne(const plan::Wanted& wanted, bench::Bench& bench, const RunOptions& options,
                      const Context& context) {
  records::StoreSeams seams(context.store);
  return runOne(wanted, bench, options, context, seams.all);
}

run::RecordPtr runOne(const plan::Wanted& wanted, bench::Bench& bench, const RunOptions& options,
                      const Context& context, const run::RunSeams& seams) {
  const auto observer = terminalObserver(options, context);
  return (options.dryRun ? run::dryRun : run::carryOut)(wanted, bench, seams, *observer, context.stop);
}

run::RecordPtr runAside(const plan::Wanted& wanted, bench::Bench& bench, const Context& context) {
  records::StoreSeams seams(context.store);
  run::RunObserver nobody;
  return run::carryOut(wanted, bench, seams.all, nobody, context.stop);
}

void requireGood(const run::Record& record) {
  if (!record.good())
    throw Error(record.error.value_or(ErrorKind::Internal), record.message).setHelp(record.help, record.helpWith);
}

void reach(const std::string& memory, bench::Bench& bench, const Context& context) {
  const sheet::Sheet& sheet = bench.sheet();
  const sheet::Route& route = *sheet.memory(memory).route;
  if (!route.load || bench.at(memory).routeAnswers()) return;
  context.err << fmt::format("imprimoctl: loading the {} into {}; the design that runs there stops\n",
                             bench::routeKind(sheet.memory(memory)).loads, sheet.chain[route.position - 1].name);
  requireGood(*runAside(run::wantedFor(sheet, memory, plan::Task::Reach), bench, context));
}

plan::Wanted::Earlier earlierWork(const RunOptions& options) {
  if (options.finishEarlier && options.forgetEarlier)
    throw Error(ErrorKind::Usage, "--finish-earlier and --forget-earlier exclude each other");
  return options.finishEarlier   ? plan::Wanted::Earlier::Finish
         : options.forgetEarlier ? plan::Wanted::Earlier::Forget
                                 : plan::Wanted::Earlier::Refuse;
}

void tell(const run::Record& record, const CommonOptions& options, const Context& context) {
  if (!record.good() && record.error) {
    context.err << "imprimoctl: " << withHelp(record.message, record.help, record.helpWith) << "\n";
    if (record.unfinishedWork) context.err << "imprimoctl: give --finish-earlier or --forget-earlier\n";
  } else if (!options.json) {
    if (record.outcome == run::Outcome::Planned) {
      for (const plan::Step& step : record.plan->steps) {
        context.out << fmt::format("{:<44}{:>10}  {:>8}  {}\n", step.title,
                                   step.amount.empty() ? "" : step.amount.text(), durationText(step.seconds), step.why);
      }
    }
    context.out << record.message << "\n";
  }
}

int finish(const run::Record& record, const CommonOptions& options, const Context& context) {
  tell(record, options, context);
  if (options.json) print(context, outcomeJson(record));
  return exitCodeOf(record);
}

}  // namespace imprimo::ctl
