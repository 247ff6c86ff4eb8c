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

struct CopiesOptions : CommonOptions {
  std::string limitSize;
  std::optional<std::uint32_t> limitDays;
};

void addOptions(OptionList& own, CopiesOptions& options) {
  own.option("--limit-size", options.limitSize, "keep at most so much on disk, from now on").typeName("N");
  own.option("--limit-days", options.limitDays, "keep them for so many days, from now on")
      .typeName("N")
      .number(1, 36500);
}

int runCopies(const CopiesOptions& options, const Context& context) {
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

}  // namespace

CommandRow copiesCommand() {
  return commandRow<CopiesOptions>("copies", "copies of what runs destroyed", addOptions, runCopies);
}

}  // namespace imprimo::ctl
