// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "sim/sim_clock.h"

namespace imprimo::sim {

/// A level that one wire has for some time.
struct LineLevel {
  bool high = true;
  Time time = 0;
};
using LineLevels = std::vector<LineLevel>;

}  // namespace imprimo::sim
