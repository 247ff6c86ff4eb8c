// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/cut_apart.h"

#include <algorithm>

namespace imprimo::probe {

std::vector<std::size_t> wantedBits(const jtag::ScanBatch& batch) {
  std::vector<std::size_t> wanted;
  for (const auto& item : batch.items()) {
    const auto* scan = std::get_if<jtag::Scan>(&item);
    if (scan == nullptr || scan->captures.empty()) continue;
    std::size_t bits = 0;
    for (const jtag::BitRange& range : scan->captures) bits += range.size();
    wanted.push_back(bits);
  }
  return wanted;
}

jtag::ScanAnswers cutApart(BitVector&& captured, const std::vector<std::size_t>& sizes) {
  jtag::ScanAnswers answers;
  if (sizes.size() == 1) {
    answers.push_back(std::move(captured));
    return answers;
  }
  std::size_t from = 0;
  for (const std::size_t size : sizes) {
    answers.push_back(captured.slice(from, size));
    from += size;
  }
  return answers;
}

}  // namespace imprimo::probe
