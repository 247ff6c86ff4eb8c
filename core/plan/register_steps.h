// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/planner.h"

namespace imprimo::plan {

/// Appends a step for each register that gets a value. Throws Usage for one that the part does not have or that can
/// only be read.
void addRegisterSteps(Plan& plan, const Wanted& wanted, const Knowledge& known);

}  // namespace imprimo::plan
