// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/run/configure_runner.h"
#include "core/store/file_records.h"
#include "core/store/folders.h"
#include "ctl/commands.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/outcome_json.h"
#include "ctl/output_file.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "ctl/terminal.h"

namespace imprimo::ctl {
namespace {

run::ConfigureWish wishOf(const Options& options, const sheet::Sheet& sheet) {
  run::ConfigureWish wish;
  wish.position = bench::positionOf(sheet, options.device);
  wish.action = options.action;
  wish.with = {options.with.begin(), options.with.end()};
  wish.without = {options.without.begin(), options.without.end()};
  wish.output = options.output;
  wish.restart = options.restartAfter;
  wish.waitSeconds = options.wait ? options.wait : sheet.waitSeconds;
  if (!options.usercode.empty()) {
    const std::uint64_t code = *numberOption(options.usercode, "--usercode");
    if (code > UINT32_MAX) throw Error(ErrorKind::Usage, "--usercode has 32 bits");
    wish.usercode = static_cast<std::uint32_t>(code);
  }
  if (!options.file.empty()) {
    wish.file = parsePiece(options.file);
  } else if (const sheet::Configuration* own = sheet.configurationOf(options.device)) {
    wish.file = own->file;
    wish.file->file = (sheet.folder() / own->file.file).string();
    if (!own->file.wrapper.empty()) wish.file->wrapper = (sheet.folder() / own->file.wrapper).string();
  }
  return wish;
}

/// The same as the sheet's file is passed over by actions that take none.
void dropUnusedFile(run::ConfigureWish& wish, const bench::DeviceConfig& config, bool given) {
  for (const run::DeviceAction& action : run::actionsOf(config)) {
    if ((action.text() == wish.action || action.name == wish.action) && !action.needsFile && wish.with.empty() &&
        !given)
      wish.file.reset();
  }
}

int finish(const run::Record& record, const Options& options, const Context& context) {
  tell(record, options, context);
  if (options.json) print(context, outcomeJson(record));
  return exitCodeOf(record);
}

std::string choicesText(const run::DeviceAction& action) {
  std::string text;
  for (const auto& choice : action.choices)
    text += fmt::format("{}{}{}", text.empty() ? "" : ", ", choice.recommended ? "" : "+", choice.procedure);
  return text;
}

}  // namespace

int configure(const Options& options, const Context& context) {
  sheet::Sheet sheet = openSheet(options, context);
  requireNoInput(options.output, options, &sheet);
  run::ConfigureWish wish = wishOf(options, sheet);
  if (!options.configCard.empty())
    sheet.chain[wish.position - 1].configCard = std::filesystem::absolute(options.configCard).string();
  const bench::DeviceConfigPtr config = bench::deviceConfig(sheet, wish.position, cardFinder(options));
  dropUnusedFile(wish, *config, !options.file.empty());
  // Everything that can be wrong with files is found before the probe is touched.
  const auto job =
      run::prepareConfigure(config, std::move(wish), options.speed.value_or(sheet.clockHz.value_or(1'000'000)));
  const auto bench = openBench(options, context, sheet);
  store::FileRecordSink records(store::dataFolder() / "records");
  const auto observer = terminalObserver(options, context);
  return finish(run::carryOut(*job, *bench, records, *observer, context.stop, options.dryRun), options, context);
}

int restart(const Options& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options, context);
  const auto bench = openBench(options, context, sheet);
  store::FileRecordSink records(store::dataFolder() / "records");
  const auto observer = terminalObserver(options, context);
  return finish(run::restartTarget(*bench, records, *observer, context.stop), options, context);
}

int devices(const Options& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options, context);
  std::vector<std::size_t> positions;
  if (!options.device.empty()) positions = {bench::positionOf(sheet, options.device)};
  for (std::size_t i = 1; i <= sheet.chain.size() && options.device.empty(); ++i) {
    if (sheet.chain[i - 1].description) positions.push_back(i);
  }
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, bench->chain().port(), sheet.waitSeconds, [&] { bench->examine(); });
  bench->checkChain();
  Json list = Json::array();
  for (const std::size_t position : positions) {
    const bench::DeviceConfig& config = bench->devices().config(position);
    const bench::DeviceReport report = bench->devices().lookAt(position);
    Json entry = run::deviceJson(report);
    if (!options.json)
      context.out << fmt::format("{:<14}{}\n", report.name,
                                 report.text.empty() ? "tells nothing of itself" : report.text);
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

}  // namespace imprimo::ctl
