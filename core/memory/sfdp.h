// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>

#include "core/base/bytes.h"
#include "core/memory/geometry.h"

namespace imprimo::memory {

/// Reads `count` bytes of a part's SFDP space from `address`.
using SfdpReader = std::function<Bytes(std::uint32_t address, std::size_t count)>;

/// What the basic flash parameter table says (JESD216F 6.4; the nine-DWORD table of the first edition too, with
/// assumed times). Nothing when the part has no SFDP signature. Throws UnknownFlash when the table contradicts itself.
std::optional<Geometry> readSfdp(const SfdpReader& read);

}  // namespace imprimo::memory
