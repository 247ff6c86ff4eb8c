// SPDX-License-Identifier: GPL-3.0-or-later
//
// Any stream into the simulated engine, and any packet to the one who answers CMSIS-DAP in an adapter's name.
#include <cstdint>

#include "core/base/error.h"
#include "core/probe/dap/dap_responder.h"
#include "core/probe/mpsse/mpsse_probe.h"
#include "sim/bench.h"
#include "tests/support/loop_transport.h"

using namespace imprimo;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto bench =
      sim::parseBench(R"({"imprimo_bench": 1, "chain": [{"name": "p", "ir_length": 4, "idcode": "0x1FFD"}]})", "fuzz");
  try {
    if (size > 0 && data[0] % 2 == 0) {
      bench->stream({data + 1, size - 1});
      return 0;
    }
    probe::MpsseProbe probe(std::make_unique<test::LoopStream>(*bench), probe::genericAdapter(), {});
    probe::DapResponder responder(probe);
    for (ByteSpan rest(data, size); rest.size() > 1;) {
      const std::size_t length = std::min<std::size_t>(rest[0], rest.size() - 1);
      // Waits are real here; they have no place in a fuzzer.
      const ByteSpan packet = rest.subspan(1, length);
      if (!packet.empty() && packet[0] != 0x10 && packet[0] != 0x7F && packet[0] != 0x7E) responder.process(packet);
      rest = rest.subspan(1 + length);
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
