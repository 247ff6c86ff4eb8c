// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/moving_together.h"

#include <algorithm>
#include <map>

namespace imprimo::pins {
namespace {

/// Two or three edges may be the same by chance.
constexpr std::size_t kFewestEdges = 4;

}  // namespace

std::vector<std::vector<PortOf>> movingTogether(std::span<const Captured> devices) {
  std::size_t count = devices.empty() ? 0 : SIZE_MAX;
  for (const Captured& device : devices) count = std::min(count, device.captures->size());
  std::map<std::vector<bool>, std::vector<PortOf>> byLevels;
  std::map<std::vector<bool>, std::size_t> edges;
  for (std::size_t d = 0; d < devices.size(); ++d) {
    const std::deque<BitVector>& captures = *devices[d].captures;
    const std::size_t first = captures.size() - count;
    for (std::size_t p = 0; p < devices[d].ports->ports.size(); ++p) {
      const auto& input = devices[d].ports->ports[p].input;
      if (!input) continue;
      std::vector<bool> levels(count);
      std::size_t moved = 0;
      for (std::size_t i = 0; i < count; ++i) {
        levels[i] = captures[first + i][*input];
        if (i > 0 && levels[i] != levels[i - 1]) ++moved;
      }
      if (moved < kFewestEdges) continue;
      edges[levels] = moved;
      byLevels[std::move(levels)].push_back({d, p});
    }
  }
  std::vector<std::pair<std::size_t, std::vector<PortOf>>> groups;
  for (auto& [levels, ports] : byLevels) {
    if (ports.size() > 1) groups.emplace_back(edges[levels], std::move(ports));
  }
  std::stable_sort(groups.begin(), groups.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<std::vector<PortOf>> all;
  all.reserve(groups.size());
  for (auto& [moved, ports] : groups) all.push_back(std::move(ports));
  return all;
}

}  // namespace imprimo::pins
