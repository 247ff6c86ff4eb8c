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
  run::CopyStore store = run::userCopies();
  if (!options.limitSize.empty() || options.limitDays) {
    run::CopyLimits limits = store.limits();
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
                      {"part", copy.of.part},
                      {"bytes", copy.bytes()}});
    }
    print(context, {{"copies", json}, {"on_disk", store.bytesOnDisk()}});
    return 0;
  }
  for (const run::StoredCopy& copy : list) {
    context.out << fmt::format("{}  {:<14} {} {:>9}  {}{}\n", copy.path.filename().string(), copy.of.memory,
                               copy.of.part, sizeText(copy.bytes()),
                               copy.ranges.empty() ? "" : rangeText(copy.ranges.front()),
                               copy.ranges.size() > 1 ? fmt::format(" and {} more", copy.ranges.size() - 1) : "");
  }
  context.out << fmt::format("{}, {} on disk\n", list.size() == 1 ? "1 copy" : fmt::format("{} copies", list.size()),
                             sizeText(store.bytesOnDisk()));
  return 0;
}

int restore(const Options& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options, context);
  const std::string name = oneMemory(options, sheet);
  const run::CopyStore store = run::userCopies();
  run::StoredCopy copy;
  if (!options.copy.empty()) {
    copy = store.find(options.copy);
  } else {
    const std::vector<run::StoredCopy> list = store.list();
    const auto newest =
        std::find_if(list.begin(), list.end(), [&](const run::StoredCopy& c) { return c.of.memory == name; });
    if (newest == list.end())
      throw Error(ErrorKind::Usage, fmt::format("there is no copy of a memory named {}", name),
                  "See: imprimoctl copies.");
    copy = *newest;
  }
  run::Wanted wanted = run::wantedToRestore(sheet, name, copy, store.contents(copy));
  if (options.wait) wanted.waitSeconds = options.wait;
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, bench->probe(), wanted.waitSeconds, [&] { bench->examine(); });
  bench->checkChain();
  run::requireFitting(copy, bench->identify(name), options.anyPart);
  const run::Record record = runOne(wanted, *bench, options, context);
  tell(record, options, context);
  if (options.json) print(context, outcomeJson(record));
  return exitCodeOf(record);
}

}  // namespace imprimo::ctl
