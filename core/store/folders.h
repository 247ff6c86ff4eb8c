// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/base/user_folders.h"

namespace imprimo::store {

using imprimo::cacheFolder;
using imprimo::dataFolder;

/// A path in `folder` that is not taken: "STAMP-NAME.EXT", with microseconds in the stamp, so that names sort by time.
/// Makes the folder; throws CannotWrite. Characters that do not belong into file names become '-'.
std::filesystem::path freshPath(const std::filesystem::path& folder, const std::string& name,
                                const std::string& extension);

}  // namespace imprimo::store
