// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>

#include "core/base/error.h"
#include "core/image/elf_image.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const ElfFile file = readElf({data, size}, "fuzz");
    // No segment can bring more than the file has, though several may bring the same.
    for (const MemoryImage::Segment& s : file.image.segments()) {
      if (s.bytes.empty()) __builtin_trap();
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
