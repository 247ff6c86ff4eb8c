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

ElfSymbols placedSymbols(Workbench& bench) {
  const sheet::Sheet& sheet = bench.document().sheet();
  const std::string core = coreOfMemory(bench);
  std::vector<ElfSymbols::Symbol> all;
  for (const Placement& placement : sheet.placements) {
    const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(placement.memory).route);
    if (route == nullptr || route->core != core || placement.file.empty()) continue;
    std::error_code none;
    constexpr std::uintmax_t kMost = 32u << 20;  // with a window that waits
    const std::filesystem::path file = sheet.folder() / placement.file;
    if (const auto size = std::filesystem::file_size(file, none); none || size > kMost) continue;
    try {
      const ElfSymbols symbols = symbolsOf(readFile(file));
      all.insert(all.end(), symbols.all().begin(), symbols.all().end());
    } catch (const Error&) {
      // What cannot be read is told of where it is placed.
    }
  }
  return ElfSymbols(std::move(all));
}

}  // namespace imprimo::app
