// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/run/job.h"
#include "core/store/copy_store.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/runs.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

bool isOf(const run::StoredCopy& copy, const sheet::Sheet& sheet, const std::string& memory) {
  return copy.of.memory == memory && copy.of.sheet == sheet.title && !copy.of.unfinished;
}

/// The newest copy of this sheet's memory, as far as that is known without asking it.
run::StoredCopy newestOf(const std::vector<run::StoredCopy>& list, const sheet::Sheet& sheet,
                         const std::string& memory) {
  const auto newest =
      std::find_if(list.begin(), list.end(), [&](const run::StoredCopy& c) { return isOf(c, sheet, memory); });
  if (newest != list.end()) return *newest;
  const auto named =
      std::find_if(list.begin(), list.end(), [&](const run::StoredCopy& c) { return c.of.memory == memory; });
  if (named == list.end())
    throw Error(ErrorKind::Usage, fmt::format("there is no copy of a memory named {}", memory),
                "See: imprimoctl copies.");
  throw Error(ErrorKind::Usage,
              fmt::format("there is no copy of {} of the sheet \"{}\"; the newest of a memory of that name is {}, of "
                          "\"{}\"{}",
                          memory, sheet.title, named->path.filename().string(), named->of.sheet,
                          named->of.unfinished ? ", and holds an unfinished state" : ""),
              "Name the copy that is meant.");
}

/// The newest of them that was made of this very board, or may have been.
run::StoredCopy newestOf(const std::vector<run::StoredCopy>& list, const sheet::Sheet& sheet, bench::Bench& bench,
                         const std::string& memory) {
  const memory::CopyOf board = bench.at(memory).copyOf(false);
  const auto fits = [&](const run::StoredCopy& c) {
    const bool other = !c.of.uniqueId.empty() && !board.uniqueId.empty() && c.of.uniqueId != board.uniqueId;
    return isOf(c, sheet, memory) && c.of.identity == board.identity && c.of.bank == board.bank && !other;
  };
  const auto newest = std::find_if(list.begin(), list.end(), fits);
  if (newest != list.end()) return *newest;
  const run::StoredCopy other = newestOf(list, sheet, memory);
  throw Error(
      ErrorKind::Refused,
      fmt::format("no copy of {} is of this board: the newest, {}, is of a part with ID {}{}, this one has {}{}",
                  memory, other.path.filename().string(), other.of.identity,
                  other.of.uniqueId.empty() ? "" : " and unique ID " + other.of.uniqueId, board.identity,
                  board.uniqueId.empty() ? "" : " and unique ID " + board.uniqueId),
      "Name the copy that is meant.");
}

struct RestoreOptions : RunOptions {
  std::string copy;
  bool anyPart = false;
};

void addOptions(OptionList& own, RestoreOptions& options) {
  addSheetAndMemory(own, options);
  own.option("COPY", options.copy, "its file, as 'copies' lists it");
  own.flag("--any-part", options.anyPart, "also into a part with another ID");
  addEarlier(own, options);
  addDryRun(own, options);
}

int runRestore(const RestoreOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneMemory(options, sheet);
  const store::CopyStore store = store::userCopies();
  const std::vector<run::StoredCopy> list = store.list();
  const bool named = !options.copy.empty();
  run::StoredCopy copy = named ? store.find(options.copy) : newestOf(list, sheet, name);
  plan::Wanted wanted = run::wantedToRestore(sheet, name, copy, store.contents(copy));
  if (options.wait) wanted.waitSeconds = options.wait;
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, wanted.waitSeconds);
  bench->checkChain();
  // A dry run loads no bridge; then the board is not known, and what is planned is of the newest copy.
  if (!named && (!options.dryRun || bench->at(name).routeAnswers())) {
    reach(name, *bench, context);
    bench->at(name).identify();
    copy = newestOf(list, sheet, *bench, name);
    const auto wait = wanted.waitSeconds;
    wanted = run::wantedToRestore(sheet, name, copy, store.contents(copy));
    wanted.waitSeconds = wait;
  }
  wanted.anyPart = options.anyPart;
  wanted.earlier = earlierWork(options);
  const run::RecordPtr ran = runOne(wanted, *bench, options, context);
  const run::Record& record = *ran;
  tell(record, options, context);
  if (options.json) print(context, outcomeJson(record));
  return exitCodeOf(record);
}

}  // namespace

CommandRow restoreCommand() {
  return commandRow<RestoreOptions>("restore", "put a copy back, the newest of that memory if none is named",
                                    addOptions, runRestore);
}

}  // namespace imprimo::ctl
