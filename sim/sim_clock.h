// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace imprimo::sim {

/// Virtual time in picoseconds since the bench was switched on: whole periods of any TCK up to 100 MHz without drift,
/// and 213 days before it wraps.
using Time = std::uint64_t;

constexpr Time kMicrosecond = 1'000'000;
constexpr Time fromSeconds(double s) {
  return static_cast<Time>(s * 1e12 + 0.5);
}
constexpr double toSeconds(Time t) {
  return static_cast<double>(t) * 1e-12;
}

}  // namespace imprimo::sim
