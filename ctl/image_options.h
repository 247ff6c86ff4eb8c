// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "core/image/look_over.h"
#include "ctl/commands.h"
#include "ctl/json_out.h"

namespace imprimo::ctl {

/// A number behind an option; nothing for an empty text. Throws Usage naming the option.
std::optional<std::uint64_t> numberOption(const std::string& text, const char* option);

/// What --for, --sync, --ram, --block and --size say of the memory.
LookOverRules rulesOf(const Options& options);

/// The pieces of a command with their sources kept, so that they can be looked over. A single raw file may do without
/// an address.
std::vector<Piece> piecesOf(const Options& options, const std::stop_token& stop);

Json rangesJson(const MemoryImage& image);
Json findingsJson(const std::vector<Finding>& findings);
/// Those that are not fine, a line each.
std::string findingsText(const std::vector<Finding>& findings);

}  // namespace imprimo::ctl
