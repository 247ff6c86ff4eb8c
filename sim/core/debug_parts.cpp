// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/core/debug_parts.h"

#include <iterator>

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kTable = 0xE00FF000;

/// Parts of ARMv6-M (DDI 0419, C1.2) by the architecture's maker, the table by nobody's, and last those of trace.
struct Part {
  std::uint32_t at;
  unsigned kind, bank, maker, part;
};
constexpr Part kParts[] = {{kTable, 0x1, 16, 0x7D, 0x0C6},    {0xE000E000, 0xE, 5, 0x3B, 0x008},
                           {0xE0001000, 0xE, 5, 0x3B, 0x00A}, {0xE0002000, 0xE, 5, 0x3B, 0x00B},
                           {0xE0000000, 0xE, 5, 0x3B, 0x001}, {0xE0040000, 0x9, 5, 0x3B, 0x9A1}};
constexpr std::size_t kOfTrace = 2;

std::uint32_t identification(const Part& part, std::uint32_t offset) {
  switch (offset) {
    case 0xFD0:
      return part.bank - 1;
    case 0xFE0:
      return part.part & 0xFF;
    case 0xFE4:
      return part.part >> 8 | (part.maker & 0x0F) << 4;
    case 0xFE8:
      return part.maker >> 4 | 0x8;
    case 0xFF0:
      return 0x0D;
    case 0xFF4:
      return part.kind << 4;
    case 0xFF8:
      return 0x05;
    case 0xFFC:
      return 0xB1;
    default:
      return 0;
  }
}

}  // namespace

std::optional<std::uint32_t> debugPartWord(std::uint32_t address, bool trace) {
  const std::uint32_t offset = address & 0xFFC;
  const std::size_t count = std::size(kParts) - (trace ? 0 : kOfTrace);
  for (std::size_t i = 0; i < count; ++i) {
    const Part& part = kParts[i];
    if ((address & ~0xFFFu) != part.at) continue;
    constexpr std::uint32_t kIdentification = 0xFCC;
    if (part.at != kTable || offset >= kIdentification) return identification(part, offset);
    const std::uint32_t entry = offset / 4 + 1;
    if (entry >= count) return 0;
    return (kParts[entry].at - kTable) | 3;
  }
  return std::nullopt;
}

}  // namespace imprimo::sim
