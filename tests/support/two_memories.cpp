// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/two_memories.h"

#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "tests/support/world.h"

namespace imprimo::test {
namespace {

constexpr const char* kTimes =
    R"("times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";

std::string deviceText(std::size_t position, const std::string& flash) {
  const std::string instruction = flash.empty() ? "" : R"(, {"opcode": "00010", "register": "bridge"})";
  const std::string bridge = flash.empty() ? "" : fmt::format(R"(, "bridge": "{}")", flash);
  return fmt::format(R"({{"name": "p{}", "ir_length": 5, "idcode": "{:#x}",
    "instructions": [{{"opcode": "00001", "register": "idcode"}}{}]{}}})",
                     position, idcodeOf(position), instruction, bridge);
}

std::string cardText(const std::string& name, const std::string& id, const std::string& size) {
  return fmt::format(R"({{"imprimo_part": 1, "name": "{}", "id": "{}", "size": "{}", "page": 256,
    "program": {{"typical": 0.0004, "longest": 0.003}},
    "erase": [{{"size": "4K", "opcode": "0x20", "typical": 0.002, "longest": 0.02}}]}})",
                     name, id, size);
}

}  // namespace

TwoMemories::TwoMemories() {
  for (std::size_t i = 1; i <= 3; ++i)
    writeFileAtomically(path(fmt::format("p{}.bsd", i)), bsdlText(fmt::format("PART_{}", i), 5, idcodeOf(i), true));
  writeFileAtomically(path("one.json"), cardText("one", "0x7E4012", "256K"));
  writeFileAtomically(path("two.json"), cardText("two", "0x7E4013", "512K"));
  sim_ = sim::parseBench(fmt::format(R"({{"imprimo_bench": 1, "chain": [{}, {}, {}], "flashes": [
    {{"name": "one", "id": "0x7E4012", "size": "256K", {}}},
    {{"name": "two", "id": "0x7E4013", "size": "512K", {}}}]}})",
                                     deviceText(1, "one"), deviceText(2, ""), deviceText(3, "two"), kTimes, kTimes),
                         path("bench.json"));
  sheet_ = sheet::parseSheet(R"({"imprimo": 1, "title": "two memories", "probe": {"clock": 10000000},
    "chain": [{"name": "p1", "bsdl": "p1.bsd"}, {"name": "p2", "bsdl": "p2.bsd"}, {"name": "p3", "bsdl": "p3.bsd"}],
    "memories": [
      {"name": "one", "type": "spi-nor", "part": "one.json",
       "route": {"via": "bridge", "device": "p1", "instruction": "FABRIC_A"}},
      {"name": "two", "type": "spi-nor", "part": "two.json",
       "route": {"via": "bridge", "device": "p3", "instruction": "FABRIC_A"}}]})",
                             path("sheet.imprimo"));
}

}  // namespace imprimo::test
