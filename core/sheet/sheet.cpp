// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/sheet.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::sheet {

const MemoryEntry& Sheet::memory(const std::string& name) const {
  const auto it = std::find_if(memories.begin(), memories.end(), [&](const MemoryEntry& m) { return m.name == name; });
  if (it != memories.end()) return *it;
  std::string names;
  for (const MemoryEntry& m : memories) names += (names.empty() ? "" : ", ") + m.name;
  throw Error(ErrorKind::Usage, fmt::format("the sheet has no memory '{}'", name),
              names.empty() ? "It has none at all." : fmt::format("It has: {}.", names));
}

std::vector<AddressRange> Sheet::keptIn(const std::string& memory) const {
  std::vector<AddressRange> ranges;
  for (const Keep& k : keep) {
    if (k.memory == memory) ranges.push_back(k.range);
  }
  return ranges;
}

std::vector<Placement> Sheet::placementsIn(const std::string& memory) const {
  std::vector<Placement> list;
  std::copy_if(placements.begin(), placements.end(), std::back_inserter(list),
               [&](const Placement& p) { return p.memory == memory; });
  return list;
}

}  // namespace imprimo::sheet
