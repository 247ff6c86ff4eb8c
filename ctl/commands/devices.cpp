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

namespace imprimo::ctl {
namespace {

struct DevicesOptions : SheetOptions {
  std::string device;
};

std::string choicesText(const run::DeviceAction& action) {
  std::string text;
  for (const auto& choice : action.choices)
    text += fmt::format("{}{}{}", text.empty() ? "" : ", ", choice.recommended ? "" : "+", choice.procedure);
  return text;
}

void addOptions(OptionList& own, DevicesOptions& options) {
  own.option("SHEET", options.sheet, "the job sheet").required();
  own.option("DEVICE", options.device, "only this one");
}

int runDevices(const DevicesOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  std::vector<std::size_t> positions;
  if (!options.device.empty()) positions = {bench::positionOf(sheet, options.device)};
  for (std::size_t i = 1; i <= sheet.chain.size() && options.device.empty(); ++i) {
    if (sheet.chain[i - 1].description) positions.push_back(i);
  }
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  bench->checkChain();
  Json list = Json::array();
  for (const std::size_t position : positions) {
    const bench::DeviceConfig& config = bench->devices().config(position);
    const bench::DeviceReport report = bench->devices().lookAt(position);
    Json entry = run::deviceJson(report);
    if (!options.json)
      context.out << fmt::format("{:<14}{}\n", report.name, report.text.empty() ? "reports no status" : report.text);
    for (const run::DeviceAction& action : run::actionsOf(config)) {
      entry["actions"].push_back(action.text());
      if (options.json) continue;
      context.out << fmt::format("    {:<20}{}{}\n", action.text(), action.needsFile ? "takes a file" : "",
                                 action.choices.empty() ? "" : "  [" + choicesText(action) + "]");
    }
    list.push_back(std::move(entry));
  }
  if (options.json) print(context, {{"parts", std::move(list)}});
  return 0;
}

}  // namespace

CommandRow devicesCommand() {
  return commandRow<DevicesOptions>("parts", "how the parts say they are, and what can be done to them", addOptions,
                                    runDevices);
}

}  // namespace imprimo::ctl
