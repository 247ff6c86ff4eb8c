// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/bench.h"
#include "core/plan/planner.h"

namespace imprimo::run {

/// What planning needs to know of a memory that was identified; it identifies it if that was not done yet.
plan::Knowledge knowledgeOf(bench::Bench& bench, const std::string& memory);
/// The same of one that cannot be asked now, from before a restart or a lost link; it may have changed since.
std::optional<plan::Knowledge> lastKnownOf(bench::Bench& bench, const std::string& memory);

}  // namespace imprimo::run
