// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/instruction_lengths.h"

#include <algorithm>

namespace imprimo::jtag {
namespace {

/// A register of unknown length begins with 1, then 0.
bool canBegin(const BitVector& capture, std::size_t begin) {
  return begin + 2 <= capture.size() && capture[begin] && !capture[begin + 1];
}

/// Calls `each` with every end that a register beginning at `begin` can have.
template <typename Each>
void forEachEnd(const BitVector& capture, std::optional<std::uint32_t> known, std::size_t begin, Each&& each) {
  if (known) {
    if (begin + *known <= capture.size()) each(begin + *known);
    return;
  }
  if (!canBegin(capture, begin)) return;
  for (std::size_t end = begin + 2; end <= capture.size(); ++end) each(end);
}

}  // namespace

std::optional<std::vector<LengthBounds>> splitCapture(const BitVector& capture,
                                                      const std::vector<std::optional<std::uint32_t>>& known) {
  const std::size_t parts = known.size();
  const std::size_t bits = capture.size();
  // reaches[k][i]: parts k and later can fill the bits from i to the end exactly.
  std::vector<std::vector<bool>> reaches(parts + 1, std::vector<bool>(bits + 1, false));
  reaches[parts][bits] = true;
  for (std::size_t k = parts; k-- > 0;) {
    // The last place from which the parts behind this one fit: an open length only asks whether there is one.
    std::size_t lastFit = 0;
    for (std::size_t i = 0; i <= bits; ++i) {
      if (reaches[k + 1][i]) lastFit = i;
    }
    for (std::size_t begin = 0; begin <= bits; ++begin) {
      if (known[k]) {
        reaches[k][begin] = begin + *known[k] <= bits && reaches[k + 1][begin + *known[k]];
      } else {
        reaches[k][begin] = canBegin(capture, begin) && lastFit >= begin + 2;
      }
    }
  }
  if (!reaches[0][0]) return std::nullopt;

  std::vector<LengthBounds> bounds(parts, {UINT32_MAX, 0});
  std::vector<bool> starts(bits + 1, false);
  starts[0] = true;
  for (std::size_t k = 0; k < parts; ++k) {
    std::vector<bool> ends(bits + 1, false);
    for (std::size_t begin = 0; begin <= bits; ++begin) {
      if (!starts[begin]) continue;
      forEachEnd(capture, known[k], begin, [&](std::size_t end) {
        if (!reaches[k + 1][end]) return;
        ends[end] = true;
        bounds[k].min = std::min(bounds[k].min, static_cast<std::uint32_t>(end - begin));
        bounds[k].max = std::max(bounds[k].max, static_cast<std::uint32_t>(end - begin));
      });
    }
    starts = std::move(ends);
  }
  return bounds;
}

}  // namespace imprimo::jtag
