// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/run/planner.h"
#include "core/sheet/sheet.h"

namespace imprimo::run {

/// Reads the files and puts together what is wanted for one memory: the sheet's placements for it, or `given` (whose
/// paths start at the current folder). Throws BadFile and Usage.
Wanted wantedFor(const sheet::Sheet& sheet, const std::string& memory, Task task,
                 const std::optional<std::vector<Placement>>& given = std::nullopt);

/// The memories of a sheet that a command without MEMORY means: the only one, or all that have placements.
std::vector<std::string> memoriesWithPlacements(const sheet::Sheet& sheet);

}  // namespace imprimo::run
