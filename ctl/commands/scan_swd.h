// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "ctl/command.h"

namespace imprimo::ctl {

/// `scan --port swd`: what answers on the two wires, without a sheet. Halts nothing.
int scanSwd(const CommonOptions& options, const Context& context);

}  // namespace imprimo::ctl
