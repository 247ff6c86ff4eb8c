// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace imprimo::sim {

/// The lowest `bits` of a value as a signed number; those above them are 0.
constexpr std::uint32_t signExtend(std::uint32_t value, unsigned bits) {
  const std::uint32_t sign = 1u << (bits - 1);
  return (value ^ sign) - sign;
}

}  // namespace imprimo::sim
