// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/memory/sfdp.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    memory::readSfdp([&](std::uint32_t at, std::size_t count) {
      Bytes bytes(count, 0xFF);
      for (std::size_t i = 0; i < count && at + i < size; ++i) bytes[i] = data[at + i];
      return bytes;
    });
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
