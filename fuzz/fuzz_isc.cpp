// SPDX-License-Identifier: GPL-3.0-or-later
//
// The text up to the first byte 0 is what a part's ISC_ attributes say, one a line ("ISC_FLOW flow_a Initialize ...");
// what is behind it is a file. Every action is prepared with it, which reads its flows to the end.
#include <algorithm>
#include <cstdint>
#include <string>

#include "core/base/error.h"
#include "core/configure/procedure.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  const std::string_view all(reinterpret_cast<const char*>(data), size);
  const std::size_t end = std::min(all.find('\0'), all.size());
  std::string text =
      "entity P is\n attribute INSTRUCTION_LENGTH of P : entity is 4;\n"
      " attribute INSTRUCTION_OPCODE of P : entity is \"BYPASS (1111), IDCODE (0001), ISC_ENABLE (0010), ISC_DISABLE "
      "(0011), "
      "ISC_PROGRAM (0100), ISC_READ (0101), ISC_ERASE (0110), ISC_ADDRESS_SHIFT (0111)\";\n"
      " attribute INSTRUCTION_CAPTURE of P : entity is \"0001\";\n attribute BOUNDARY_LENGTH of P : entity is 4;\n";
  for (std::size_t at = 0; at < end;) {
    const std::size_t next = std::min(all.find('\n', at), end);
    const std::string_view line = all.substr(at, next - at);
    const std::size_t blank = line.find(' ');
    if (blank != std::string_view::npos) {
      std::string value(line.substr(blank + 1));
      std::erase_if(value, [](char c) { return c == '"' || c == '\r'; });
      text += " attribute " + std::string(line.substr(0, blank)) + " of P : entity is \"" + value + "\";\n";
    }
    at = next + 1;
  }
  text += "end P;\n";
  try {
    const bsdl::BoundaryDescription device = bsdl::parse(text, "fuzz");
    if (!device.isc) return 0;
    // Flows that go on for hours are no bug; they would only keep the fuzzer from what is.
    std::uint64_t work = 0;
    for (const bsdl::IscFlow& flow : device.isc->flows) {
      for (const bsdl::IscBlock& block : flow.blocks) {
        for (const bsdl::IscElement& e : block.elements) {
          for (const bsdl::IscActivity& a : e.activities) {
            for (const auto* fields : {&a.updates, &a.captures}) {
              for (const bsdl::IscField& f : *fields) work += std::uint64_t{f.length} * block.times;
            }
            work += block.times;
          }
        }
      }
    }
    if (work > 1u << 20 || device.isc->actions.size() > 20) return 0;
    const ByteSpan rest(data + std::min(size, end + 1), size - std::min(size, end + 1));
    const configure::ConfigData file = configure::rawConfigData({rest.begin(), rest.end()}, "file");
    for (const bsdl::IscAction& action : device.isc->actions) {
      for (const configure::ConfigData* with : {&file, static_cast<const configure::ConfigData*>(nullptr)}) {
        try {
          const auto procedure = configure::iscProcedure({1, "part", &device},
                                                         {action.name.name, action.name.data, {}, {}}, with, 1'000'000);
          if (procedure->stages().size() > action.procedures.size()) __builtin_trap();
        } catch (const Error&) {
          // What does not fit the file is told.
        }
      }
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
