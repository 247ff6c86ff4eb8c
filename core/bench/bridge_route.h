// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/route_kinds.h"

namespace imprimo::bench {

/// The row of routes through the bridge in an FPGA (bridge.md).
RouteKind bridgeRouteKind();

}  // namespace imprimo::bench
