// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/option_help.h"
#include "ctl/work.h"

namespace imprimo::ctl {
namespace {

void addOptions(OptionList& own, WorkOptions& options) {
  addSheetAndMemory(own, options);
  addCore(own, options);
  addPlaces(own, options.places);
  own.option("--unit", options.unit, "with the numbers of this unit").typeName("ID");
  own.option("-o,--output", options.report, "every difference, with the bytes side by side").typeName("FILE");
}

int runVerify(const WorkOptions& options, const Context& context) {
  return work(plan::Task::Verify, options, context);
}

}  // namespace

CommandRow verifyCommand() {
  return commandRow<WorkOptions>("verify", "compare only", addOptions, runVerify);
}

}  // namespace imprimo::ctl
