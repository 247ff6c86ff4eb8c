// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sheet/sheet.h"
#include "core/svf/writer.h"

namespace imprimo::vectors {

/// Behind a reset: compares all IDCODEs in one scan, and the two bits that every instruction register captures. Leaves
/// all parts in BYPASS, and no padding.
void writeChainCheck(svf::Writer& writer, const sheet::Sheet& sheet);

/// Compares the IDCODE of one part, around which the padding is set; writes nothing for a part without a description or
/// an IDCODE.
void writeDeviceCheck(svf::Writer& writer, const sheet::Device& device);

}  // namespace imprimo::vectors
