// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>

#include "core/base/error.h"
#include "core/configure/bridge_card.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const configure::BridgeCard card =
        configure::parseBridgeCard({reinterpret_cast<const char*>(data), size}, "/nowhere/card.json");
    if (card.idcode.saysNothing() || card.image.empty()) __builtin_trap();
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
