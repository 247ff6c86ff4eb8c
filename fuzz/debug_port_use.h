// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/debug/core_control.h"

/// A debug port that answers anything is used as far as it goes.
inline void useDebugPort(imprimo::debug::PortWires& wires) {
  using namespace imprimo;
  try {
    debug::DebugPort port(wires);
    port.connect();
    debug::MemAp bus(port, {0});
    bus.identify();
    Bytes bytes(37);
    bus.read(0x20000001, bytes);
    bus.write(0x200003FE, bytes);
    debug::Core core(bus);
    core.state();
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
}
