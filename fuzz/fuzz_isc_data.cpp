// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>

#include "core/base/error.h"
#include "core/image/isc_data.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  const bool looks = looksLikeIscData(text);
  try {
    const IscDataFile file = parseIscData(text, "fuzz");
    if (!looks || file.sections.empty()) __builtin_trap();
    for (const IscDataFile::Section& s : file.sections) {
      std::uint64_t bits = 0;
      for (const std::uint32_t row : s.rows) bits += row;
      if (bits != s.bits.size() || s.rows.size() != s.lines.size()) __builtin_trap();
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
