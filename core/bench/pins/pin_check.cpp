// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/pins/pin_check.h"

#include <algorithm>
#include <map>

#include "core/base/error.h"

namespace imprimo::bench {

std::vector<LabelledPin> readLabelledPins(Bench& bench) {
  const std::vector<sheet::PinLabel>& labels = bench.sheet().pins;
  if (labels.empty())
    throw Error(ErrorKind::Usage, "the sheet has no pins to check",
                "Give it \"pins\": a list of device, port, name and level.");
  constexpr std::size_t kLooks = 16;
  std::vector<LabelledPin> all(labels.size());
  std::map<std::size_t, std::vector<std::size_t>> byDevice;
  for (std::size_t i = 0; i < labels.size(); ++i) byDevice[positionOf(bench.sheet(), labels[i].device)].push_back(i);
  for (const auto& [position, indices] : byDevice) {
    const auto scan = bench.openPins(position);
    std::vector<std::size_t> ports;
    for (const std::size_t i : indices) ports.push_back(scan->ports().at(labels[i].port));
    const std::vector<BitVector> looks = scan->sample(kLooks);
    for (std::size_t k = 0; k < indices.size(); ++k) {
      LabelledPin& pin = all[indices[k]];
      pin.label = labels[indices[k]];
      const auto& input = scan->ports().ports[ports[k]].input;
      if (!input) continue;
      pin.level = looks.back()[*input];
      pin.moves =
          std::any_of(looks.begin(), looks.end(), [&](const BitVector& look) { return look[*input] != *pin.level; });
    }
  }
  return all;
}

}  // namespace imprimo::bench
