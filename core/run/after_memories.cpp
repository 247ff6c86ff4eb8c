// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/after_memories.h"

#include <algorithm>

#include "core/bench/cores/cores.h"
#include "core/run/core_runs.h"
#include "core/run/job.h"
#include "core/sheet/core_route.h"

namespace imprimo::run {

AfterMemories afterMemories(const sheet::Sheet& sheet, const std::vector<std::string>& memories, bool whole) {
  AfterMemories after;
  // With one core its own restart is all there is to restart.
  const bool alone = sheet.cores.size() == 1 && sheet.chain.size() <= 1;
  for (const sheet::CoreEntry& core : sheet.cores) {
    const bool worked = whole || std::any_of(memories.begin(), memories.end(), [&](const std::string& memory) {
                          const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(memory).route);
                          return route != nullptr && route->core == core.name;
                        });
    if (!worked) continue;
    if (!core.words.empty()) {
      after.words.push_back(wordsWanted(sheet, core.name));
      after.restart = !alone && sheet.restartAfter;
      after.words.back().restart = after.words.back().restart && alone;
    }
    if (!core.lock) continue;
    lockPlan(bench::cardOf(sheet, core), core.name);
    // One of several memories is not all of them: the lock would shut out the others.
    const bool all = whole || (memories.size() == 1 && isOnlyMemoryOf(sheet, core.name, memories.front()));
    (all ? after.locks : after.notLocked).push_back(core.name);
  }
  return after;
}

}  // namespace imprimo::run
