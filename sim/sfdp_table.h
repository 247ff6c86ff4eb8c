// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"

namespace imprimo::sim {

struct FlashModel;

/// The SFDP space of a part: header, one parameter header, basic flash parameter table of 16 DWORDs (JESD216B) or of 9
/// (JESD216). Empty for a part without SFDP.
Bytes sfdpTable(const FlashModel& model);

}  // namespace imprimo::sim
