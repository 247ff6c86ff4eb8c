// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>

#include "core/base/error.h"
#include "core/debug/algorithm_run.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const debug::FlashAlgorithm a = debug::parseFlashAlgorithm({data, size}, "fuzz.flm");
    // What is taken can be used: functions lie in the code, sectors fill the device.
    for (const std::uint32_t at : {a.init, a.uninit, a.eraseSector, a.programPage})
      if (at >= a.code.size()) __builtin_trap();
    if (a.staticBase > a.code.size() || a.sectors.empty() || a.size == 0 || a.page == 0) __builtin_trap();
    debug::requireRoom(a, {0x20000000, 0x20004000});
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
