// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>

#include "core/base/json_text.h"
#include "sim/board.h"

namespace imprimo::sim {

/// A core of a bench description, put on the board with what its flash holds; `onSwd`: its port is on the wires of SWD,
/// otherwise in a device of the chain. Returns its number there. Throws BadFile.
std::size_t readCore(const JsonNode& node, const std::filesystem::path& folder, Board& board, bool onSwd);

}  // namespace imprimo::sim
