// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sheet/pin_route.h"
#include "core/sheet/sheet.h"

namespace imprimo::sheet {

/// The sheet with this way to a memory: one that has its name gets the route, otherwise there is one more, a serial
/// flash. What the sheet had of its own stays. Throws Usage for a memory that a core has.
Sheet withPinRoute(const Sheet& sheet, const std::string& memory, const PinRoute& route);

}  // namespace imprimo::sheet
