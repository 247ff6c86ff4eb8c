// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/debug/core_card.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const auto card = debug::parseCoreCard({reinterpret_cast<const char*>(data), size}, "card.json");
    for (const debug::CoreRegion& region : card.regions)
      if (region.range.empty()) __builtin_trap();
    card.workRam();
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
