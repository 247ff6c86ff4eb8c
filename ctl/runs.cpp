// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/runs.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/run/folders.h"
#include "ctl/terminal.h"

namespace imprimo::ctl {

std::unique_ptr<run::RunObserver> terminalObserver(const Options& options, const Context& context) {
  return std::make_unique<TerminalObserver>(LiveLine(context.err, context.terminal, !options.json), options.verbose);
}

run::Record runOne(const run::Wanted& wanted, run::Bench& bench, const Options& options, const Context& context) {
  run::CopyStore copies = run::userCopies();
  run::FileRecordSink records(run::dataFolder() / "records");
  run::FolderNotes notes = run::userNotes();
  const auto observer = terminalObserver(options, context);
  return run::carryOut(wanted, bench, {copies, records, notes}, *observer, context.stop, options.dryRun);
}

run::Wanted::Earlier earlierWork(const Options& options) {
  if (options.finishEarlier && options.forgetEarlier)
    throw Error(ErrorKind::Usage, "--finish-earlier and --forget-earlier exclude each other");
  return options.finishEarlier   ? run::Wanted::Earlier::Finish
         : options.forgetEarlier ? run::Wanted::Earlier::Forget
                                 : run::Wanted::Earlier::Refuse;
}

void tell(const run::Record& record, const Options& options, const Context& context) {
  if (!record.good() && record.error) {
    context.err << "imprimoctl: " << record.message << "\n";
    if (record.unfinishedWork) context.err << "imprimoctl: give --finish-earlier or --forget-earlier\n";
  } else if (!options.json) {
    if (record.outcome == run::Outcome::Planned) {
      for (const run::Step& step : record.plan.steps) {
        context.out << fmt::format("{:<44}{:>10}  {:>8}  {}\n", step.title,
                                   step.amount() > 0 ? step.amountText(step.amount()) : "", durationText(step.seconds),
                                   step.why);
      }
    }
    context.out << record.message << "\n";
  }
}

}  // namespace imprimo::ctl
