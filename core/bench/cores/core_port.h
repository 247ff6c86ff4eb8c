// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/debug/debug_port.h"
#include "core/jtag/chain.h"
#include "core/probe/probe.h"
#include "core/sheet/sheet.h"

namespace imprimo::bench {

/// A debug port with the way to it. Cores behind several access ports of one share it: what is selected there is one
/// state.
struct CorePort {
  explicit CorePort(std::unique_ptr<debug::PortWires> way) : wires(std::move(way)), port(*wires) {}
  std::unique_ptr<debug::PortWires> wires;
  debug::DebugPort port;
};

/// Whether two cores of a sheet are behind the same one.
bool samePort(const sheet::CoreEntry& a, const sheet::CoreEntry& b);

/// The port of a core. `chain`: null where the sheet has none. Throws NoProbe where the probe does not speak what it
/// does, BadFile.
std::shared_ptr<CorePort> makeCorePort(const sheet::Sheet& sheet, const sheet::CoreEntry& entry, probe::Probe& probe,
                                       jtag::Chain* chain);

}  // namespace imprimo::bench
