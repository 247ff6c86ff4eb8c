// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/run/configure_runner.h"
#include "core/store/folders.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/output_file.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "ctl/terminal.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

struct ConfigureOptions : RunOptions {
  std::string device, file, action = "program", usercode, configCard, output;
  std::vector<std::string> with, without;
  bool restartAfter = false;
};

run::ConfigureWish wishOf(const ConfigureOptions& options, const sheet::Sheet& sheet) {
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

void addOptions(OptionList& own, ConfigureOptions& options) {
  own.option("SHEET", options.sheet, "the job sheet").required();
  own.option("DEVICE", options.device, "the part's name in the sheet's chain").required();
  own.option("FILE", options.file,
             "bitstream, JEDEC fuse file or IEEE 1532 data; FILE[,reversed][,card=WRAPPER-CARD]. The "
             "sheet's if not given");
  own.option("--action", options.action, "another action of its IEEE 1532 description, see 'parts'").typeName("NAME");
  own.option("--with", options.with, "do this optional procedure too; can be repeated").typeName("PROCEDURE").oneEach();
  own.option("--without", options.without, "leave this recommended procedure out; can be repeated")
      .typeName("PROCEDURE")
      .oneEach();
  own.option("--usercode", options.usercode, "a user code of 32 bits instead of the file's").typeName("N");
  own.option("--config-card", options.configCard, "how it is configured, instead of the sheet's card").typeName("FILE");
  own.option("-o,--output", options.output, "where what is read goes, as IEEE 1532 data").typeName("FILE");
  own.flag("--restart", options.restartAfter, "let the board start again afterwards");
  addDryRun(own, options);
}

int runConfigure(const ConfigureOptions& options, const Context& context) {
  sheet::Sheet sheet = openSheet(options.sheet, options, context);
  requireNoInput(options.output, options, {{options.configCard}, {options.file}}, &sheet);
  run::ConfigureWish wish = wishOf(options, sheet);
  if (!options.configCard.empty())
    sheet.chain[wish.position - 1].configCard = std::filesystem::absolute(options.configCard).string();
  const bench::DeviceConfigPtr config = bench::deviceConfig(sheet, wish.position, cardFinder(options));
  dropUnusedFile(wish, *config, !options.file.empty());
  // Everything that can be wrong with files is found before the probe is touched.
  const auto job =
      run::prepareConfigure(config, std::move(wish), options.speed.value_or(sheet.clockHz.value_or(1'000'000)));
  const auto bench = openBench(options, context, sheet);
  records::StoreSink records(context.store);
  const auto observer = terminalObserver(options, context);
  const run::RecordPtr record = options.dryRun ? run::dryRun(*job, *bench, *observer, context.stop)
                                               : run::carryOut(*job, *bench, records, *observer, context.stop);
  return finish(*record, options, context);
}

}  // namespace

CommandRow configureCommand() {
  return commandRow<ConfigureOptions>("configure", "put a bitstream or fuse file into a part itself", addOptions,
                                      runConfigure);
}

}  // namespace imprimo::ctl
