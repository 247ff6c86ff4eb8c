// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/planner.h"

namespace imprimo::run {

// Steps that several kinds of plans have.
void addReadStep(Plan& plan, const Knowledge& known, const RangeSet& ranges, const std::string& why);
void addSaveStep(Plan& plan, const RangeSet& ranges);

}  // namespace imprimo::run
