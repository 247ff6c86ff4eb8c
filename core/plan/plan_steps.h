// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/planner.h"

namespace imprimo::plan {

/// An empty step at the plan's end; the reference lives until the next one.
Step& addStep(Plan& plan, StepKind kind, std::string title, std::string why);

// Steps that several kinds of plans have.
void addAwaitStep(Plan& plan, std::uint32_t seconds);
/// `core`: nothing but a core's debug port is looked for.
void addCheckStep(Plan& plan, bool core = false);
/// A core is listened to until it says something.
void addHearStep(Plan& plan, const std::string& core, const sheet::CoreSpeech& wanted);
void addReadStep(Plan& plan, const Knowledge& known, const RangeSet& ranges, const std::string& why);
/// What is saved is read until it was read twice in this run.
void addSaveStep(Plan& plan, const Knowledge& known, const RangeSet& ranges);
/// The same where there is nothing to save.
void addSecondReadStep(Plan& plan, const Knowledge& known, const RangeSet& ranges);

}  // namespace imprimo::plan
