// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "sim/bench.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    // Packets one behind another, each behind its length, to a bench with one part.
    static const auto kBench = sim::parseBench(
        R"({"imprimo_bench": 1, "probe": {"swo": {"manchester": true, "room": 100}}, "chain": [{"name": "p", "ir_length": 4, "idcode": "0x1FFD", "instructions": [
            {"opcode": "0001", "register": "idcode"}, {"opcode": "0010", "register": "bridge"}], "bridge": "f"}],
            "flashes": [{"name": "f", "id": "0x7E4014", "size": "1M"}]})",
        "fuzz");
    while (size > 1) {
      const std::size_t length = data[0] < size - 1 ? data[0] : size - 1;
      kBench->process({data + 1, length});
      data += 1 + length;
      size -= 1 + length;
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
