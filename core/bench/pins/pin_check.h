// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/bench/bench.h"

namespace imprimo::bench {

/// What is at a port that the sheet knows by name.
struct LabelledPin {
  sheet::PinLabel label;
  pins::Level level;   ///< nothing: no cell takes it
  bool moves = false;  ///< it was not the same in all of some captures
  bool differs() const { return label.level && (moves || level != label.level); }
};

/// Samples all ports that the sheet has a name or a level for, without disturbing anything. Throws Usage where the
/// sheet has none, or for a port that there is not; LinkLost.
std::vector<LabelledPin> readLabelledPins(Bench& bench);

}  // namespace imprimo::bench
