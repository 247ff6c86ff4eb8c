// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/bsdl/library.h"

namespace imprimo::run {

/// Where the user's own BSDL files are kept.
std::filesystem::path libraryFolder();

/// The user's BSDL files and those of `more` folders, with the index in the cache. Throws BadFile for a folder that
/// cannot be read; what is wrong with single files is in the library's warnings.
bsdl::Library openLibrary(const std::vector<std::string>& more = {});

/// Copies a BSDL file into the user's library, so that its part is known from now on; a file of the same name and
/// content is there already. Returns where it is now. Throws BadFile, CannotWrite.
std::filesystem::path addToLibrary(const std::filesystem::path& file);

}  // namespace imprimo::run
