// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/error.h"
#include "ctl/option_help.h"
#include "ctl/work.h"

namespace imprimo::ctl {
namespace {

void addOptions(OptionList& own, WorkOptions& options) {
  addSheetAndMemory(own, options);
  addCore(own, options);
  addRanges(own, options.ranges, "these addresses; can be repeated");
  own.flag("--listed", options.listed, "what the sheet lists under \"erase\"");
  own.flag("--all", options.all, "the whole memory, but for what the sheet keeps");
  own.flag("--whole-blocks", options.wholeBlocks, "erase whole blocks, including other data");
  own.flag("--skip-kept", options.skipKept, "leave what the sheet keeps, and erase the rest of the ranges");
  addProtection(own, options.leaveProtection);
  addEarlier(own, options);
  addDryRun(own, options);
}

int runErase(const WorkOptions& options, const Context& context) {
  if ((options.all ? 1 : 0) + (options.ranges.empty() ? 0 : 1) + (options.listed ? 1 : 0) != 1) {
    throw Error(ErrorKind::Usage, "erase wants one of --range, --listed and --all",
                "For example --range 0x10000..0x1FFFF.");
  }
  return work(plan::Task::Erase, options, context);
}

}  // namespace

CommandRow eraseCommand() {
  return commandRow<WorkOptions>("erase", "erase ranges; other data in their blocks is restored", addOptions, runErase);
}

}  // namespace imprimo::ctl
