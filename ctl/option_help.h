// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "ctl/common_options.h"
#include "ctl/option_list.h"

namespace imprimo::ctl {

/// How a file is named with what is done to it.
extern const char* const kPieceHelp;

// Options that several commands have.
void addSheet(OptionList& own, std::string& sheet);
void addSheetAndMemory(OptionList& own, SheetOptions& options);
/// --core, of commands that can be about one core's memories.
void addCore(OptionList& own, SheetOptions& options);
void addRanges(OptionList& own, std::vector<std::string>& ranges, const char* what);
void addPlaces(OptionList& own, std::vector<std::string>& places);
void addImageUse(OptionList& own, ImageUse& use);
void addProtection(OptionList& own, bool& leave);
/// What becomes of a run that did not end, where it cannot be known that this is the board that it was on.
void addEarlier(OptionList& own, RunOptions& options);
void addDryRun(OptionList& own, RunOptions& options);

}  // namespace imprimo::ctl
