// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/base/bytes.h"

namespace imprimo {

/// The whole file. Throws BadFile with the path and the system's reason.
Bytes readFile(const std::filesystem::path& path);
std::string readTextFile(const std::filesystem::path& path);

}  // namespace imprimo
