// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/image/look_over.h"
#include "core/memory/identity.h"
#include "core/plan/planner.h"
#include "core/run/backup_store.h"
#include "core/sheet/sheet.h"

namespace imprimo::run {

/// Reads the files and puts together what is wanted for one memory: the sheet's placements for it, or `given` (whose
/// paths start at the current folder). Throws BadFile, Usage, and Stopped while files are read; `reading` says how.
plan::Wanted wantedFor(const sheet::Sheet& sheet, const std::string& memory, plan::Task task,
                       const std::optional<std::vector<Placement>>& given = std::nullopt,
                       const ReadRules& reading = {});

/// What putting a copy back asks for. The bytes come back wherever they were, kept or not.
plan::Wanted wantedToRestore(const sheet::Sheet& sheet, const std::string& memory, const StoredCopy& copy,
                             MemoryImage contents);

/// Throws Refused where the copy is of another kind of part (unless `anyPart`), or reaches past this part's end.
void requireFitting(const StoredCopy& copy, const memory::Identity& part, bool anyPart);
/// The same of one that ends at `end`.
void requireFitting(const memory::CopyOf& copy, std::uint64_t end, const memory::Identity& part, bool anyPart);

/// Looks over what is wanted in a memory, with what the sheet knows of it.
std::vector<Finding> lookedOver(const sheet::Sheet& sheet, const plan::Wanted& wanted);

/// Whether a run of one memory is all that a core's memories get: no other one of that core has files.
bool isOnlyMemoryOf(const sheet::Sheet& sheet, const std::string& core, const std::string& memory);

/// The memories of a sheet that a command without MEMORY means: the only one, or all that have placements.
std::vector<std::string> memoriesWithPlacements(const sheet::Sheet& sheet);

}  // namespace imprimo::run
