// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/option_help.h"
#include "ctl/work.h"

namespace imprimo::ctl {
namespace {

void addOptions(OptionList& own, WorkOptions& options) {
  addSheetAndMemory(own, options);
  addCore(own, options);
  addRanges(own, options.ranges, "only these addresses; can be repeated");
}

int runBlank(const WorkOptions& options, const Context& context) {
  return work(plan::Task::Blank, options, context);
}

}  // namespace

CommandRow blankCommand() {
  return commandRow<WorkOptions>("blank", "is it erased?", addOptions, runBlank);
}

}  // namespace imprimo::ctl
