// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo::jtag {

/// What can be said of one instruction register's length; min == max when it is certain.
struct LengthBounds {
  std::uint32_t min = 0;
  std::uint32_t max = 0;
  bool certain() const { return min == max; }
};

/// Splits what Capture-IR left in a chain into its devices. Each register begins, at its TDO end, with 1 then 0
/// (IEEE 1149.1-2013 7.1.1 d) and has at least two bits; `known` gives the lengths that are known otherwise, in wire
/// order (nearest TDO first), and those devices may capture anything. Nothing when no split fits.
std::optional<std::vector<LengthBounds>> splitCapture(const BitVector& capture,
                                                      const std::vector<std::optional<std::uint32_t>>& known);

}  // namespace imprimo::jtag
