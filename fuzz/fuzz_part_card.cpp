// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/flash/part_card.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    const auto card = flash::parsePartCard(text, "fuzz");
    const auto again = flash::parsePartCard(flash::partCardText(card), "again");
    if (!(again.geometry == card.geometry) || again.commands != card.commands || again.registers != card.registers ||
        again.protection != card.protection || again.uniqueId != card.uniqueId ||
        again.deepPowerDown != card.deepPowerDown)
      __builtin_trap();
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
