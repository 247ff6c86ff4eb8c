// SPDX-License-Identifier: GPL-3.0-or-later
//
// A probe whose answers to transfers are anything, and a debug port behind it that makes of them what it can.
#include <cstdint>

#include "core/debug/swd_wires.h"
#include "core/probe/dap/dap_swd.h"
#include "fuzz/debug_port_use.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  ByteSpan left(data, size);
  probe::PacketWay way;
  way.packetSize = 64;
  way.packetCount = 2;
  way.executesSeveral = size % 2 == 0;
  way.clockHz = [] { return 1'000'000u; };
  way.send = [](ByteSpan) {};
  way.receive = [&]() -> Bytes {
    if (left.empty()) throw Error(ErrorKind::LinkLost, "no answer");
    const std::size_t length = std::min<std::size_t>(left[0], left.size() - 1);
    Bytes packet(left.begin() + 1, left.begin() + 1 + static_cast<std::ptrdiff_t>(length));
    left = left.subspan(1 + length);
    return packet;
  };
  probe::DapSwd probe(way);
  debug::SwdWires wires(probe);
  useDebugPort(wires);
  return 0;
}
