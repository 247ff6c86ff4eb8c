// SPDX-License-Identifier: GPL-3.0-or-later
//
// Who a memory is.
#include <fmt/format.h>

#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/output_file.h"
#include "ctl/runs.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct IdentifyOptions : SheetOptions {
  bool save = false, tables = false;
  std::string card;
};

void addOptions(OptionList& own, IdentifyOptions& options) {
  addSheetAndMemory(own, options);
  addCore(own, options);
  own.flag("--save", options.save, "keep what was found in the sheet");
  own.flag("--tables", options.tables, "its parameter tables (SFDP) too, raw and in words");
  own.option("--card", options.card, "begin a part card with what was found").typeName("FILE");
}

int runIdentify(const IdentifyOptions& options, const Context& context) {
  sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneMemory(options, sheet);
  requireNoInput(options.card, options, {}, &sheet);
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  bench->checkChain();
  reach(name, *bench, context);
  const memory::Identity& identity = bench->at(name).identify();
  const memory::Details& details = *identity.details;
  if ((!options.card.empty() || options.save) && details.card(name, false).empty()) {
    throw Error(ErrorKind::Usage, fmt::format("{} is described by its core card, and adds nothing to it", name),
                "There is nothing to save.");
  }
  if (!options.card.empty()) writeFileAtomically(options.card, details.card(name, true));
  if (options.save) {
    for (sheet::MemoryEntry& entry : sheet.memories) {
      if (entry.name == name) entry.lastSeen = details.card(name, false);
    }
    sheet::saveSheet(sheet);
  }
  if (options.json) {
    print(context, details.json(identity, options.tables));
  } else {
    context.out << details.text(name, identity, options.tables);
  }
  return 0;
}

}  // namespace

CommandRow identifyCommand() {
  return commandRow<IdentifyOptions>("identify", "read a memory's ID and parameter table", addOptions, runIdentify);
}

}  // namespace imprimo::ctl
