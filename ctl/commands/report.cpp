// SPDX-License-Identifier: GPL-3.0-or-later
//
// What to send with a problem.
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "records/qt_version.h"
#include "report/problem_report.h"

namespace imprimo::ctl {
namespace {

struct ReportOptions : CommonOptions {
  std::string output;
};

void addOptions(OptionList& own, ReportOptions& options) {
  own.option("-o,--output", options.output, "where it goes; otherwise it is printed").typeName("FILE");
}

int runReport(const ReportOptions& options, const Context& context) {
  const std::string text =
      report::problemReport({"imprimoctl", {{"Qt", records::qtVersion()}}, context.store, context.system});
  if (!options.output.empty()) {
    writeFileAtomically(options.output, text);
    context.err << "Read " << options.output << " before it is sent; nothing was sent by itself.\n";
  }
  if (options.json) {
    print(context, {{"report", text}});
  } else if (options.output.empty()) {
    context.out << text;
  }
  return 0;
}

}  // namespace

CommandRow reportCommand() {
  return commandRow<ReportOptions>("report", "versions, probes, last runs and messages, to send with a problem",
                                   addOptions, runReport);
}

}  // namespace imprimo::ctl
