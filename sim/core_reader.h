// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>

#include "core/base/json_text.h"
#include "sim/board.h"

namespace imprimo::sim {

/// The "core" of a bench description, put on the board's SWD wires with what its flash holds. Throws BadFile.
void readCore(const JsonNode& node, const std::filesystem::path& folder, Board& board);

}  // namespace imprimo::sim
