// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/pins/spi_wave.h"

namespace imprimo::pins {

/// The wires of a serial flash.
enum class WireRole : std::uint8_t { Cs, Clk, Mosi, Miso, Wp, Hold };
constexpr WireRole kWireRoles[] = {WireRole::Cs,   WireRole::Clk, WireRole::Mosi,
                                   WireRole::Miso, WireRole::Wp,  WireRole::Hold};
const char* nameOf(WireRole role);
/// Why a port cannot be that wire; empty where it can.
std::string whyNotWire(const BoundaryPort& port, WireRole role);

/// Ports that are named like a wire of a serial bus.
std::vector<std::size_t> namedLikeWires(const BoundaryPorts& ports);

/// Ports that may be a flash's wires, at most `most`: first those that are named like one, then others that do not move
/// by themselves and can be driven and sampled. `edges`: counted, of each port.
std::vector<std::size_t> wireCandidates(const BoundaryPorts& ports, const std::vector<std::uint64_t>& edges,
                                        std::size_t most);

}  // namespace imprimo::pins
