// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/option_help.h"
#include "ctl/unit_work.h"
#include "ctl/work.h"

namespace imprimo::ctl {
namespace {

void addOptions(OptionList& own, WorkOptions& options) {
  addSheetAndMemory(own, options);
  addCore(own, options);
  addPlaces(own, options.places);
  own.flag("--no-erase", options.noErase, "refuse what cannot be written without erasing");
  own.flag("--no-verify", options.noVerify, "do not read back");
  addProtection(own, options.leaveProtection);
  addEarlier(own, options);
  addUnit(own, options);
  addDryRun(own, options);
}

int runProgram(const WorkOptions& options, const Context& context) {
  return work(plan::Task::Program, options, context);
}

}  // namespace

CommandRow programCommand() {
  return commandRow<WorkOptions>("program", "put the sheet's files into the memory and confirm by reading back",
                                 addOptions, runProgram);
}

}  // namespace imprimo::ctl
