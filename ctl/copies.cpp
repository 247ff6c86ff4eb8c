// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/run/job.h"
#include "ctl/json_out.h"
#include "ctl/outcome_json.h"
#include "ctl/runs.h"
#include "ctl/session.h"

namespace imprimo::ctl {

int copies(const Options& options, const Context& context) {
  store::CopyStore store = store::userCopies();
  if (!options.limitSize.empty() || options.limitDays) {
    store::CopyLimits limits = store.limits();
    if (!options.limitSize.empty()) {
      const auto bytes = parseNumber(options.limitSize);
      if (!bytes)
        throw Error(ErrorKind::Usage, fmt::format("--limit-size takes a size like 500M, not '{}'", options.limitSize));
      limits.bytes = *bytes;
    }
    limits.days = options.limitDays.value_or(limits.days);
    store.setLimits(limits);
    const std::size_t gone = store.prune();
    context.err << fmt::format("at most {} and {} days are kept; {} went\n", sizeText(limits.bytes), limits.days,
                               gone == 1 ? "1 copy" : fmt::format("{} copies", gone));
  }
  std::vector<std::string> unreadable;
  const std::vector<run::StoredCopy> list = store.list(&unreadable);
  for (const std::string& what : unreadable) context.err << "imprimoctl: warning: " << what << "\n";
  if (options.json) {
    Json json = Json::array();
    for (const run::StoredCopy& copy : list) {
      json.push_back({{"file", copy.path.filename().string()},
                      {"made", copy.made},
                      {"memory", copy.of.memory},
                      {"part", copy.of.identity},
                      {"bytes", copy.bytes()}});
      if (!copy.of.uniqueId.empty()) json.back()["unique_id"] = copy.of.uniqueId;
      if (copy.of.unfinished) json.back()["unfinished"] = true;
    }
    print(context, {{"copies", json}, {"on_disk", store.bytesOnDisk()}});
    return 0;
  }
  for (const run::StoredCopy& copy : list) {
    context.out << fmt::format("{}  {:<14} {} {:>9}  {}{}{}\n", copy.path.filename().string(), copy.of.memory,
                               copy.of.identity, sizeText(copy.bytes()),
                               copy.ranges.empty() ? "" : rangeText(copy.ranges.front()),
                               copy.ranges.size() > 1 ? fmt::format(" and {} more", copy.ranges.size() - 1) : "",
                               copy.of.unfinished ? "  (an unfinished state)" : "");
  }
  context.out << fmt::format("{}, {} on disk\n", list.size() == 1 ? "1 copy" : fmt::format("{} copies", list.size()),
                             sizeText(store.bytesOnDisk()));
  return 0;
}

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

}  // namespace

int restore(const Options& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options, context);
  const std::string name = oneMemory(options, sheet);
  const store::CopyStore store = store::userCopies();
  const std::vector<run::StoredCopy> list = store.list();
  const bool named = !options.copy.empty();
  run::StoredCopy copy = named ? store.find(options.copy) : newestOf(list, sheet, name);
  plan::Wanted wanted = run::wantedToRestore(sheet, name, copy, store.contents(copy));
  if (options.wait) wanted.waitSeconds = options.wait;
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, bench->chain().port(), wanted.waitSeconds, [&] { bench->examine(); });
  bench->checkChain();
  // A dry run loads no bridge; then the board is not known, and what is planned is of the newest copy.
  if (!named && (!options.dryRun || bench->at(name).routeAnswers())) {
    bench->at(name).identify();
    copy = newestOf(list, sheet, *bench, name);
    const auto wait = wanted.waitSeconds;
    wanted = run::wantedToRestore(sheet, name, copy, store.contents(copy));
    wanted.waitSeconds = wait;
  }
  wanted.anyPart = options.anyPart;
  wanted.earlier = earlierWork(options);
  const run::Record record = runOne(wanted, *bench, options, context);
  tell(record, options, context);
  if (options.json) print(context, outcomeJson(record));
  return exitCodeOf(record);
}

}  // namespace imprimo::ctl
