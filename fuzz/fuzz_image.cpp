// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/image/image_file.h"
#include "core/image/intel_hex.h"
#include "core/image/pieces.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const char* names[] = {"fuzz", "fuzz.hex", "fuzz.s19", "fuzz.elf"};
    const ImageFile file = readImage({data, size}, names[size % 4]);
    // With a name that promises addresses, text is never bytes.
    if (size % 4 != 0 && !file.hasAddresses) __builtin_trap();
    if (file.hasAddresses && !(readIntelHex(writeIntelHex(file.image), "again") == file.image)) __builtin_trap();
    const std::string text(reinterpret_cast<const char*>(data), size);
    if (parsePiece(text).pattern) parseSum(text);
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
