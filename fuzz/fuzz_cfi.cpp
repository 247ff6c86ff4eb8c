// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>

#include "core/base/error.h"
#include "core/flash/cfi.h"
#include "fuzz/geometry_use.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    useGeometry(flash::parseCfi({data, size}, "flash").geometry);
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
