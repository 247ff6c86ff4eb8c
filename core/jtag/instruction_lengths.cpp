// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/instruction_lengths.h"

#include <algorithm>

namespace imprimo::jtag {
namespace {

/// A register of unknown length begins with 1, then 0.
bool canBegin(const BitVector& capture, std::size_t begin) {
  return begin + 2 <= capture.size() && capture[begin] && !capture[begin + 1];
}

}  // namespace

std::optional<std::vector<LengthBounds>> splitCapture(const BitVector& capture,
                                                      const std::vector<std::optional<std::uint32_t>>& known) {
  const std::size_t devices = known.size();
  const std::size_t bits = capture.size();
  // reaches[k][i]: devices k and later can fill the bits from i to the end exactly.
  std::vector<std::vector<bool>> reaches(devices + 1, std::vector<bool>(bits + 1, false));
  reaches[devices][bits] = true;
  for (std::size_t k = devices; k-- > 0;) {
    // The last place from which the devices behind this one fit: an open length only asks whether there is one.
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

  std::vector<LengthBounds> bounds(devices, {UINT32_MAX, 0});
  std::vector<bool> starts(bits + 1, false);
  starts[0] = true;
  for (std::size_t k = 0; k < devices; ++k) {
    std::vector<bool> ends(bits + 1, false);
    // One pass: the nearest start gives an end's shortest register, the first start of all its longest.
    std::optional<std::size_t> first, nearest;
    for (std::size_t end = 2; end <= bits; ++end) {
      const std::size_t begin = known[k] ? end - std::min<std::size_t>(*known[k], end) : end - 2;
      const bool begins = starts[begin] && (known[k] ? begin + *known[k] == end : canBegin(capture, begin));
      if (begins) {
        nearest = begin;
        if (!first || known[k]) first = begin;
      } else if (known[k]) {
        nearest = first = std::nullopt;
      }
      if (!nearest || !reaches[k + 1][end]) continue;
      ends[end] = true;
      bounds[k].min = std::min(bounds[k].min, static_cast<std::uint32_t>(end - *nearest));
      bounds[k].max = std::max(bounds[k].max, static_cast<std::uint32_t>(end - *first));
    }
    starts = std::move(ends);
  }
  return bounds;
}

}  // namespace imprimo::jtag
