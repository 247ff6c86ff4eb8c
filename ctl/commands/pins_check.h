// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "ctl/command.h"

namespace imprimo::ctl {

/// `pins SHEET --check`: whether the ports that the sheet has levels for have them. 1 where one has not.
int checkPins(const SheetOptions& options, const Context& context);

}  // namespace imprimo::ctl
