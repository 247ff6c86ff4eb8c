// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/sheet/sheet.h"
#include "ctl/common_options.h"

namespace imprimo::ctl {

/// What a command line names as inputs beside what every command can: files, and pieces with what is done to them.
struct Inputs {
  std::vector<std::string> files, pieces;
};

/// Throws Usage when what a command is about to write (an empty name is nothing) is one of the files that it reads: the
/// sheet, what the sheet names, or an input of the command line. Links do not hide it.
void requireNoInput(const std::string& output, const CommonOptions& options, const Inputs& inputs,
                    const sheet::Sheet* sheet = nullptr);

}  // namespace imprimo::ctl
