// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/json_text.h"
#include "sim/board.h"
#include "sim/logic_reader.h"

namespace imprimo::sim {

/// A part of a bench description that is not on the board yet.
struct DeviceEntry {
  DeviceModel model;
  std::string bridgeTo;
  LogicEntry logic;
  bool marks = true;  ///< its bridge keeps them
  std::optional<BoundaryModel> boundary{};
};

/// Reads the bench's "faults" (docs/formats/bench.md): some change what is put on the board, the others what it does.
/// Throws BadFile.
void readBoardFaults(const JsonNode& faults, std::vector<DeviceEntry>& devices, Board& board);

}  // namespace imprimo::sim
