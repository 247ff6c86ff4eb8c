// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/bsdl/boundary_description.h"
#include "core/bsdl/skim.h"
#include "core/pins/package.h"
#include "core/pins/pin_levels.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    const auto device = bsdl::parse(text, "fuzz");
    for (const auto& instruction : device.instructions) device.opcode(instruction.name);
    bsdl::skim(text);
    const pins::BoundaryPorts ports = pins::boundaryPorts(device);
    pins::packageOf(device, ports);
    BitVector cells(ports.length, false);
    for (std::size_t i = 0; i < ports.length; i += 3) cells.set(i, true);
    pins::samplesOf(ports, cells);
    for (std::size_t i = 0; i < ports.ports.size() && i < 8; ++i) pins::planDrives(ports, {{i, i % 2 == 0}}, cells);
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
