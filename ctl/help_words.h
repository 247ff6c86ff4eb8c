// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/base/error.h"

namespace imprimo::ctl {

/// What would help, in the words of the command line: it names the option. Empty where nothing does.
std::string helpText(Help help, const std::string& with);

/// A message with that behind it.
std::string withHelp(std::string message, Help help, const std::string& with);
std::string withHelp(const Error& error);

}  // namespace imprimo::ctl
