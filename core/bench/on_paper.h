// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/flash/part_card.h"
#include "core/sheet/sheet.h"

namespace imprimo::bench {

/// The part card that a memory's sheet entry names, which it has to. Throws BadFile.
flash::PartCard namedCard(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry);
/// What describes a memory without asking it: its part card, or what was last seen. Throws BadFile.
std::optional<flash::PartCard> cardOnPaper(const sheet::Sheet& sheet, const std::string& memory);

/// The geometry that is known of a memory without asking it: its part card, or what was last seen. Throws BadFile.
std::optional<memory::Geometry> geometryOnPaper(const sheet::Sheet& sheet, const std::string& memory);

}  // namespace imprimo::bench
