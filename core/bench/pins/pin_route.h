// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/route_kinds.h"
#include "core/pins/pin_bus.h"
#include "core/pins/pin_spi_port.h"
#include "core/sheet/pin_route.h"

namespace imprimo::bench {

/// The row of routes by boundary scan.
RouteKind pinRouteKind();

/// The ports of a sheet's route, by their index. Throws Usage for one that there is not.
pins::SpiWires spiWires(const sheet::PinRoute& route, const pins::BoundaryPorts& ports);
pins::BusWires busWires(const sheet::PinRoute& route, const pins::BoundaryPorts& ports);
/// Throws Usage where the sheet has no BSDL file for that device.
const bsdl::BoundaryDescription& descriptionOf(const sheet::Sheet& sheet, std::size_t position);
/// The boundary register of a device of the sheet. Throws as descriptionOf(), and BadFile.
std::unique_ptr<pins::PinScan> openPins(BenchState& bench, std::size_t position);

}  // namespace imprimo::bench
