// SPDX-License-Identifier: GPL-3.0-or-later
//
// The card up to the first byte 0, behind it the file that it is for; without one, the text is both.
#include <algorithm>
#include <cstdint>

#include "core/base/error.h"
#include "core/image/wrapper_card.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  const ByteSpan all(data, size);
  const auto end = static_cast<std::size_t>(std::find(all.begin(), all.end(), 0) - all.begin());
  const ByteSpan file = end == size ? all : all.subspan(end + 1);
  try {
    const WrapperCard card = parseWrapperCard({reinterpret_cast<const char*>(data), end}, "fuzz");
    const Unwrapped devices = tryUnwrap(card, file);
    if (devices.problem.empty() && (devices.payload.empty() || devices.payload.end > file.size())) __builtin_trap();
    for (const Unwrapped::Field& field : devices.fields) {
      if (field.at.end > file.size()) __builtin_trap();
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
