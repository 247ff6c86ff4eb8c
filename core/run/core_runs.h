// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/runner.h"

namespace imprimo::run {

/// What opens a locked core, as its card has it: its steps, and a look at whether it is open and its flash blank. Pure.
/// Throws Refused where the card does not say how.
plan::PlanPtr unlockPlan(const debug::CoreCard& card, const std::string& core);

/// Carries that out, as a run with a record. One that is not locked is left alone, and the record says so. Where it
/// fails the record says what the core is then, as far as it can be seen.
RecordPtr unlockCore(bench::Bench& bench, const std::string& core, RecordSink& records, RunObserver& observer,
                     const std::stop_token& stop);

/// Steps of a card, in a plan.
void addChipSteps(plan::Plan& plan, plan::StepKind kind, const std::vector<debug::ChipStep>& steps,
                  const std::string& why);

/// What locks a core, as its card has it, and a look at whether it is. Pure. Throws Refused where the card does not say
/// how.
plan::PlanPtr lockPlan(const debug::CoreCard& card, const std::string& core);

/// Carries that out, as a run with a record.
RecordPtr lockCore(bench::Bench& bench, const std::string& core, RecordSink& records, RunObserver& observer,
                   const std::stop_token& stop);

}  // namespace imprimo::run
