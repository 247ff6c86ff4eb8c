// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/link_speed.h"

namespace imprimo::memory {

double LinkSpeed::readSeconds(std::uint64_t bytes) const {
  return clocksPerByte * static_cast<double>(bytes) / clockHz * 1.02;
}

double LinkSpeed::pageSeconds(std::uint64_t bytes) const {
  return (3.0 * clocksPerExchange + clocksPerByte * static_cast<double>(bytes + 12)) / clockHz;
}

}  // namespace imprimo::memory
