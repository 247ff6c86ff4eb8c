// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/core_places.h"

#include "app/model/workbench.h"
#include "core/base/input_file.h"
#include "core/sheet/core_route.h"

namespace imprimo::app {

std::string coreOfMemory(Workbench& bench) {
  for (const sheet::MemoryEntry& entry : bench.document().sheet().memories) {
    if (entry.name != bench.memory()) continue;
    const sheet::CoreRoute* route = sheet::coreRoute(*entry.route);
    return route == nullptr ? std::string() : route->core;
  }
  return {};
}

std::vector<PlacedSymbols::File> PlacedSymbols::filesOf(Workbench& bench) {
  const sheet::Sheet& sheet = bench.document().sheet();
  const std::string core = coreOfMemory(bench);
  std::vector<File> files;
  for (const Placement& placement : sheet.placements) {
    const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(placement.memory).route);
    if (route == nullptr || route->core != core || placement.file.empty()) continue;
    std::error_code none;
    File file{sheet.folder() / placement.file, {}, 0};
    file.size = std::filesystem::file_size(file.path, none);
    constexpr std::uintmax_t kMost = 32u << 20;  // with a window that waits
    if (none || file.size > kMost) continue;
    file.saved = std::filesystem::last_write_time(file.path, none);
    files.push_back(std::move(file));
  }
  return files;
}

const ElfSymbols& PlacedSymbols::of(Workbench& bench) {
  std::vector<File> files = filesOf(bench);
  if (files == files_) return symbols_;
  std::vector<ElfSymbols::Symbol> all;
  for (const File& file : files) {
    try {
      const ElfSymbols symbols = symbolsOf(readFile(file.path));
      all.insert(all.end(), symbols.all().begin(), symbols.all().end());
    } catch (const Error&) {
      // What cannot be read is told of where it is placed.
    }
  }
  files_ = std::move(files);
  symbols_ = ElfSymbols(std::move(all));
  return symbols_;
}

}  // namespace imprimo::app
