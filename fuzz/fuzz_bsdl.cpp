// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/bsdl/boundary_description.h"
#include "core/bsdl/skim.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    const auto device = bsdl::parse(text, "fuzz");
    for (const auto& instruction : device.instructions) device.opcode(instruction.name);
    bsdl::skim(text);
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
