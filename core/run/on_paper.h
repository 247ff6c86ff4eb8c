// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/memory/part_card.h"
#include "core/sheet/sheet.h"

namespace imprimo::run {

/// What describes a memory without asking it: its part card, or what was last seen. Throws BadFile.
std::optional<memory::PartCard> cardOnPaper(const sheet::Sheet& sheet, const std::string& memory);

}  // namespace imprimo::run
