// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <CLI/CLI.hpp>

#include "ctl/common_options.h"

namespace imprimo::ctl {

/// How a file is named with what is done to it.
extern const char* const kPieceHelp;

/// A whole number, both ends included.
CLI::Validator numberFrom(std::uint64_t least, std::uint64_t most);
CLI::Validator oneOf(std::vector<std::string> words);

// Options that several commands have.
void addSheet(CLI::App& own, std::string& sheet);
void addSheetAndMemory(CLI::App& own, SheetOptions& options);
void addRanges(CLI::App& own, std::vector<std::string>& ranges, const char* what);
void addPlaces(CLI::App& own, std::vector<std::string>& places);
void addImageUse(CLI::App& own, ImageUse& use);
void addProtection(CLI::App& own, bool& leave);
/// What becomes of a run that did not end, where it cannot be known that this is the board that it was on.
void addEarlier(CLI::App& own, RunOptions& options);
void addDryRun(CLI::App& own, RunOptions& options);

}  // namespace imprimo::ctl
