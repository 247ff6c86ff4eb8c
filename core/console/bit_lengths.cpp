// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/bit_lengths.h"

#include <algorithm>
#include <bit>

namespace imprimo::console {

std::optional<unsigned> shortestLow(ByteSpan received) {
  std::optional<unsigned> shortest;
  for (const std::uint8_t byte : received) {
    if (byte == 0) continue;
    const unsigned low = 1 + static_cast<unsigned>(std::countr_zero(byte));  // with the start bit
    shortest = std::min(shortest.value_or(low), low);
  }
  return shortest;
}

}  // namespace imprimo::console
