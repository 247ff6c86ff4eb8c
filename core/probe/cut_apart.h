// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/jtag/scan_batch.h"

namespace imprimo::probe {

/// How many bits each answer of a batch has.
std::vector<std::size_t> wantedBits(const jtag::ScanBatch& batch);

/// Captured bits, one behind another, as one entry for each answer.
jtag::ScanAnswers cutApart(BitVector&& captured, const std::vector<std::size_t>& sizes);

}  // namespace imprimo::probe
