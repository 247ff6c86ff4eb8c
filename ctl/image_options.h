// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/image/look_over.h"
#include "ctl/common_options.h"

namespace imprimo::ctl {

/// A number behind an option; nothing for an empty text. Throws Usage naming the option.
std::optional<std::uint64_t> numberOption(const std::string& text, const char* option);

/// What --for, --sync, --ram, --block and --size say of the memory.
LookOverRules rulesOf(const ImageUse& options);

/// The pieces of a command (`block`: the text of --block, for align=block; `large`: above 1 GiB too) with their sources
/// kept, so that they can be looked over. A single raw file may do without an address.
std::vector<Piece> piecesOf(const std::vector<std::string>& texts, const std::string& block, bool large,
                            const std::stop_token& stop);

nlohmann::ordered_json rangesJson(const MemoryImage& image);
nlohmann::ordered_json findingsJson(const std::vector<Finding>& findings);
/// Those that are not fine, a line each.
std::string findingsText(const std::vector<Finding>& findings);

}  // namespace imprimo::ctl
