// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/option_help.h"
#include "ctl/work.h"

namespace imprimo::ctl {
namespace {

void addOptions(OptionList& own, WorkOptions& options) {
  addSheetAndMemory(own, options);
  addEarlier(own, options);
  addRanges(own, options.ranges, "the scratch block, which is restored; a blank one if not given");
  own.option("--reads", options.reads, "reads of each pattern; 20 if not given").typeName("N").number(1, 100000);
}

int runTrial(const WorkOptions& options, const Context& context) {
  return work(plan::Task::Trial, options, context);
}

}  // namespace

CommandRow trialCommand() {
  return commandRow<WorkOptions>("trial", "test the bench: patterns are written to a scratch block and read many times",
                                 addOptions, runTrial);
}

}  // namespace imprimo::ctl
