// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/folders.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <chrono>

#include "core/base/atomic_file.h"

namespace imprimo::store {
namespace fs = std::filesystem;

fs::path freshPath(const fs::path& folder, const std::string& name, const std::string& extension) {
  makeFolders(folder);
  std::error_code failure;
  std::string clean;
  for (const char c : name) {
    const bool fine =
        (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' || c == '_';
    clean += fine ? c : '-';
  }
  const auto now = std::chrono::system_clock::now();
  const auto fraction =
      std::chrono::duration_cast<std::chrono::microseconds>(now.time_since_epoch()).count() % 1'000'000;
  const std::string stem =
      fmt::format("{:%Y%m%d-%H%M%S}-{:06}-{}", fmt::gmtime(std::chrono::system_clock::to_time_t(now)), fraction,
                  clean.substr(0, 80));
  fs::path path = folder / (stem + extension);
  for (int n = 2; fs::exists(path, failure); ++n) path = folder / fmt::format("{}-{}{}", stem, n, extension);
  return path;
}

}  // namespace imprimo::store
