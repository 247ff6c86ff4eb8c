// SPDX-License-Identifier: GPL-3.0-or-later
//
// A bus whose words are anything, and a ROM table at its beginning: the words of 4 KiB pages come from the input, by
// their address, again and again.
#include <cstdint>

#include "core/base/bytes.h"
#include "core/debug/rom_table.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  if (size < 4) return 0;
  const auto word = [&](std::uint32_t address) -> std::optional<std::uint32_t> {
    // What identifies a part is whole more often than chance would have it.
    const std::uint32_t page = address >> 12, offset = address & 0xFFF;
    if (data[page % size] % 4 != 0) {
      constexpr std::uint32_t kWhole[] = {0x0D, 0x10, 0x05, 0xB1};
      if (offset >= 0xFF0) return offset == 0xFF4 && data[page % size] % 3 == 0 ? 0x90 : kWhole[(offset - 0xFF0) / 4];
    }
    const std::size_t at = (page * 977 + offset) % (size - 3);
    const std::uint32_t value = loadLe32(data + at);
    if (value == 0xFFFFFFFF) return std::nullopt;
    return value;
  };
  for (const debug::DebugPart& part : debug::walkRomTable(loadLe32(data), word)) part.words();
  return 0;
}
