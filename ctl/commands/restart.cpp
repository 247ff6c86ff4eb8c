// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/run/configure_runner.h"
#include "core/store/folders.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/output_file.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "ctl/terminal.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

void addOptions(OptionList& own, RunOptions& options) {
  addSheet(own, options.sheet);
  addCore(own, options);
}

int runRestart(const RunOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string core = options.core.empty() ? std::string() : sheet.core(options.core).name;
  const auto bench = openBench(options, context, sheet);
  records::StoreSink records(context.store);
  const auto observer = terminalObserver(options, context);
  const run::RecordPtr record = run::restartTarget(*bench, records, *observer, context.stop, core);
  if ((core.empty() && !sheet.onlySwd()) || !record->good()) return finish(*record, options, context);
  if (options.json) {
    print(context, {{"result", "restarted"}});
  } else {
    tell(*record, options, context);
  }
  return 0;
}

}  // namespace

CommandRow restartCommand() {
  return commandRow<RunOptions>("restart", "let the parts start from their flash again, or pulse the board's reset",
                                addOptions, runRestart);
}

}  // namespace imprimo::ctl
