// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/probe/adapter_card.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    imprimo::probe::parseAdapterCard({reinterpret_cast<const char*>(data), size}, "fuzz");
  } catch (const imprimo::Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
