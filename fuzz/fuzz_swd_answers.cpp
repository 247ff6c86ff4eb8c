// SPDX-License-Identifier: GPL-3.0-or-later
//
// A probe whose answers to transfers are anything, and a debug port behind it that makes of them what it can.
#include <cstdint>

#include "core/debug/core_control.h"
#include "core/probe/dap_swd.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  ByteSpan left(data, size);
  probe::PacketWay way;
  way.packetSize = 64;
  way.packetCount = 2;
  way.executesSeveral = size % 2 == 0;
  way.send = [](ByteSpan) {};
  way.receive = [&]() -> Bytes {
    if (left.empty()) throw Error(ErrorKind::LinkLost, "no answer");
    const std::size_t length = std::min<std::size_t>(left[0], left.size() - 1);
    Bytes packet(left.begin() + 1, left.begin() + 1 + static_cast<std::ptrdiff_t>(length));
    left = left.subspan(1 + length);
    return packet;
  };
  try {
    probe::DapSwd wires(way);
    debug::DebugPort port(wires);
    port.connect();
    debug::MemAp bus(port, 0);
    bus.identify();
    Bytes bytes(37);
    bus.read(0x20000001, bytes);
    bus.write(0x200003FE, bytes);
    debug::Core core(bus);
    core.state();
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
