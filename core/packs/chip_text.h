// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/packs/chip_card.h"

namespace imprimo::packs {

/// What a chip has, and what its sequences do, each access in words; lines for people. Throws BadFile for a sequence
/// that cannot be read.
std::string chipText(const Chip& chip, const std::filesystem::path& pack);

}  // namespace imprimo::packs
