// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/runs.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <ostream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "core/store/folders.h"
#include "ctl/json_out.h"
#include "ctl/outcome_json.h"
#include "ctl/terminal.h"

namespace imprimo::ctl {

std::unique_ptr<run::RunObserver> terminalObserver(const CommonOptions& options, const Context& context) {
  return std::make_unique<TerminalObserver>(LiveLine(context.err, context.terminal, !options.json), options.verbose);
}

run::Record runOne(const plan::Wanted& wanted, bench::Bench& bench, const RunOptions& options, const Context& context) {
  store::CopyStore copies = store::userCopies();
  store::FileRecordSink records(store::dataFolder() / "records");
  store::FolderNotes notes = store::userNotes();
  const auto observer = terminalObserver(options, context);
  return run::carryOut(wanted, bench, {copies, records, notes}, *observer, context.stop, options.dryRun);
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
    context.err << "imprimoctl: " << record.message << "\n";
    if (record.unfinishedWork) context.err << "imprimoctl: give --finish-earlier or --forget-earlier\n";
  } else if (!options.json) {
    if (record.outcome == run::Outcome::Planned) {
      for (const plan::Step& step : record.plan.steps) {
        context.out << fmt::format("{:<44}{:>10}  {:>8}  {}\n", step.title,
                                   step.amount() > 0 ? step.amountText(step.amount()) : "", durationText(step.seconds),
                                   step.why);
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
