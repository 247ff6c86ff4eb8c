// SPDX-License-Identifier: GPL-3.0-or-later
//
// Intel HEX and S-records: the first byte says which. What can be read is the same when written and read again, and
// when it comes in small pieces.
#include <algorithm>
#include <cstdint>

#include "core/base/error.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"

namespace {

using namespace imprimo;

RecordFile read(bool hex, RecordLines& lines) {
  return hex ? readIntelHex(lines) : readSRecords(lines);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  const bool hex = data[0] != 'S';
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  try {
    RecordLines whole(text, "fuzz");
    const RecordFile file = read(hex, whole);
    std::size_t given = 0;
    RecordLines pieces(
        [&](std::span<char> into) {
          const std::size_t count = std::min({into.size(), text.size() - given, std::size_t{7}});
          std::copy_n(text.begin() + static_cast<std::ptrdiff_t>(given), count, into.begin());
          given += count;
          return count;
        },
        "fuzz");
    if (!(read(hex, pieces).image == file.image)) __builtin_trap();
    const std::string again = hex ? writeIntelHex(file.image) : writeSRecords(file.image);
    RecordLines lines(again, "again");
    if (!(read(hex, lines).image == file.image)) __builtin_trap();
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
