// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/planner.h"

namespace imprimo::plan {

constexpr unsigned kTrialPatterns = 5;

/// Appends the steps that bring the part to `desired`: read what is not known, save, clear protection, renew shared
/// blocks, erase, write, restore protection, confirm. Throws Refused when noErase or leaveProtection cannot work.
void addChangeSteps(Plan& plan, const Wanted& wanted, const Knowledge& known, const MemoryImage& desired);

/// Appends the steps that try the bench on a scratch block. Throws Usage for a range that is kept or too large, Refused
/// when no blank block is found and none was named.
void addTrialSteps(Plan& plan, const Wanted& wanted, const Knowledge& known);

}  // namespace imprimo::plan
