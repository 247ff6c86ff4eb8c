// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/json_text.h"
#include "sim/board.h"

namespace imprimo::sim {

/// A device's `boundary` (docs/formats/bench.md). Throws BadFile.
BoundaryModel readBoundary(const JsonNode& node, const std::string& device);
/// One of the bench's `parallel_flashes`. Throws BadFile.
ParallelNorModel readParallelFlash(const JsonNode& node);
/// The bench's `nets`, once its devices are there. Throws BadFile.
void readNets(const JsonNode& list, Board& board);

}  // namespace imprimo::sim
