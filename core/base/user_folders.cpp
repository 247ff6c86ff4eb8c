// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/user_folders.h"

#include <cstdlib>

namespace imprimo {
namespace fs = std::filesystem;

namespace {

fs::path userFolder(const char* variable, const char* belowHome) {
  if (const char* folder = std::getenv(variable); folder != nullptr && *folder != '\0')
    return fs::path(folder) / "imprimo";
  if (const char* home = std::getenv("HOME"); home != nullptr) return fs::path(home) / belowHome / "imprimo";
  return fs::path(".imprimo");
}

}  // namespace

fs::path dataFolder() {
  return userFolder("XDG_DATA_HOME", ".local/share");
}

fs::path cacheFolder() {
  return userFolder("XDG_CACHE_HOME", ".cache");
}

}  // namespace imprimo
