// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <string_view>

#include "core/base/error.h"
#include "core/flash/sfdp.h"
#include "fuzz/geometry_use.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  try {
    const auto sfdp = flash::readSfdp({[&](std::uint32_t at, std::size_t count) {
                                         Bytes bytes(count, 0xFF);
                                         for (std::size_t i = 0; i < count && at + i < size; ++i)
                                           bytes[i] = data[at + i];
                                         return bytes;
                                       },
                                       [&](std::uint8_t command, unsigned, std::uint32_t at, unsigned) {
                                         return static_cast<std::uint8_t>(size == 0 ? 0 : data[(at + command) % size]);
                                       }});
    if (!sfdp) return 0;
    for (const flash::SfdpTable& table : sfdp->tables) flash::fieldsOf(table);
    useGeometry(sfdp->geometry);
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
