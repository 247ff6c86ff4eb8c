// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>

namespace imprimo {

/// $XDG_DATA_HOME/imprimo, or ~/.local/share/imprimo.
std::filesystem::path dataFolder();
/// $XDG_CACHE_HOME/imprimo, or ~/.cache/imprimo: what can be made again.
std::filesystem::path cacheFolder();

}  // namespace imprimo
