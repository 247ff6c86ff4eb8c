// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/sheet/sheet.h"
#include "ctl/commands.h"

namespace imprimo::ctl {

/// Throws Usage when what a command is about to write (an empty name is nothing) is one of the files that it reads: the
/// sheet, what the sheet names, or an input of the command line. Links do not hide it.
void requireNoInput(const std::string& output, const Options& options, const sheet::Sheet* sheet = nullptr);

}  // namespace imprimo::ctl
