// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>

#include "core/base/error.h"
#include "core/image/jesd3.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  looksLikeJesd3(text);
  // A count of fuses that nobody lists is allowed, and only costs memory and time here.
  if (const std::size_t count = text.find("QF"); count != std::string_view::npos && count + 9 < size &&
                                                 text.substr(count + 2, 7).find_first_not_of("0123456789") == text.npos)
    return 0;
  try {
    const FuseFile file = parseJesd3(text, "fuzz");
    if (file.fuses.empty() || file.checksum != fuseChecksum(file.fuses)) __builtin_trap();
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
