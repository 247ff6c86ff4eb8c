// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "core/run/after_memories.h"
#include "ctl/runs.h"

namespace imprimo::ctl {

/// Says what will happen that cannot be undone, before anything is done.
void announce(const run::AfterMemories& after, const sheet::Sheet& sheet, const Context& context);
/// One after the other, with a record each; ends at the first that fails. `changed`: a memory was. Returns the exit
/// code, and adds an outcome each to `outcomes`.
int carryOut(const run::AfterMemories& after, bench::Bench& bench, const RunOptions& options, const Context& context,
             bool changed, const run::RunSeams& seams, nlohmann::ordered_json& outcomes);

}  // namespace imprimo::ctl
