// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/jtag/examine.h"
#include "core/sheet/sheet.h"
#include "core/svf/fit.h"

namespace imprimo::bench {

/// The chain as it was found, with the sheet's names and descriptions where its parts fit.
svf::ChainView chainView(const jtag::FoundChain& found, const sheet::Sheet* sheet, const jtag::Describe& describe);
/// The chain that a sheet says is there.
svf::ChainView chainView(const sheet::Sheet& sheet);

}  // namespace imprimo::bench
