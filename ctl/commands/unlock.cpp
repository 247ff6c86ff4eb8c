// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/run/core_runs.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "ctl/terminal.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

struct UnlockOptions : RunOptions {
  bool destroy = false;
};

void addOptions(OptionList& own, UnlockOptions& options) {
  addSheet(own, options.sheet);
  own.option("CORE", options.core, "the core; may be left out where the sheet has one");
  own.flag("--destroy", options.destroy, "do it, and destroy what it destroys; without, only say what would be done");
}

int runUnlock(const UnlockOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneCore(options, sheet);
  const debug::CoreCard card = bench::cardOf(sheet, sheet.core(name));
  const plan::PlanPtr plan = run::unlockPlan(card, name);
  if (!options.destroy) {
    for (std::size_t i = 0; i < plan->steps.size(); ++i)
      context.err << fmt::format("{:>3}. {}\n", i + 1, plan->steps[i].title);
    throw Error(ErrorKind::Refused, fmt::format("unlocking {} destroys {}", name, card.lock.destroys),
                "Nothing was touched. Add --destroy to do it.");
  }
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, options.wait ? options.wait : sheet.waitSeconds);
  records::StoreSeams seams(context.store);
  const auto observer = terminalObserver(options, context);
  const run::RecordPtr record = run::unlockCore(*bench, name, seams.records, *observer, context.stop);
  return finish(*record, options, context);
}

}  // namespace

CommandRow unlockCommand() {
  return commandRow<UnlockOptions>("unlock", "open a core whose memory is closed, which destroys what it holds",
                                   addOptions, runUnlock);
}

}  // namespace imprimo::ctl
