// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/cores/cores.h"
#include "core/bench/route_kinds.h"

namespace imprimo::bench {

/// The row of routes through a core's debug port.
RouteKind coreRouteKind();

/// The core that a route leads to. Throws Usage where it leads to none.
BenchCore& coreOf(Route& route, const std::string& memory);

}  // namespace imprimo::bench
