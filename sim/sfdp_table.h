// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"

namespace imprimo::sim {

struct FlashModel;

/// The SFDP space of a part: header, parameter headers, the basic flash parameter table of 23 DWORDs (JESD216F), 16
/// (JESD216B) or 9 (JESD216); the newest also has a table of 4-byte commands and a sector map where the part needs one.
/// Empty for a part without SFDP.
Bytes sfdpTable(const FlashModel& model);

}  // namespace imprimo::sim
