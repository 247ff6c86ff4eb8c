// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace imprimo {

/// A library, and the version of it that runs now.
using LibraryVersion = std::pair<std::string, std::string>;

/// All that core/ uses.
std::vector<LibraryVersion> libraryVersions();

/// What --version says: "imprimoctl 0.1.0", commit and compiler, and the libraries, those of `more` too.
std::string aboutText(std::string_view program, const std::vector<LibraryVersion>& more = {});

}  // namespace imprimo
