// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "core/plan/planner.h"
#include "ctl/runs.h"

namespace imprimo::ctl {

/// What the sheet wants of cores behind their memories: configuration words, and the lock.
class CoreAfterwards {
 public:
  /// Of the cores behind these memories, or all of the sheet's where `whole`. Throws Usage, BadFile, Refused for what
  /// their cards do not have, before anything is touched.
  CoreAfterwards(const sheet::Sheet& sheet, const std::vector<plan::Wanted>& all, bool whole);
  bool empty() const { return words_.empty() && locks_.empty(); }
  bool writesWords() const { return !words_.empty(); }
  /// Says what cannot be read back any more afterwards, and which core stays open though the sheet locks it.
  void announce(const Context& context) const;
  /// Carries it out, in the sheet's order: first the words of all, then the locks. What came of each is appended to
  /// `outcomes`. Returns the exit code, of the first that failed.
  int carryOut(bench::Bench& bench, const RunOptions& options, const Context& context, bool changed,
               nlohmann::ordered_json& outcomes) const;

 private:
  const sheet::Sheet& sheet_;
  std::vector<std::string> words_, locks_, leftOpen_;
};

}  // namespace imprimo::ctl
