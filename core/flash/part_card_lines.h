// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/flash/part_card.h"

namespace imprimo::flash {

/// What a part card says of several lines: "wide_reads", "wide_programs" and "quad_enable". Its registers have been
/// read. Throws BadFile.
void readWideCommands(const JsonNode& root, PartCard& card);
/// The other way round.
void addWideCommands(nlohmann::ordered_json& json, const NorCommands& commands);

}  // namespace imprimo::flash
