// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/flash/nor_commands.h"

namespace imprimo::flash {

/// Stands in the head of a file of vectors for a part that takes four address bytes at all times.
constexpr const char* kAlwaysFour = "Addresses have four bytes";

/// Comments for the head of a file of vectors (docs/formats/vectors.md), by which its reader knows what is erased.
std::vector<std::string> vectorLines(const memory::Geometry& geometry, const NorCommands& commands);

}  // namespace imprimo::flash
