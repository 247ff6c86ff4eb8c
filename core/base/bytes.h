// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <span>
#include <vector>

namespace imprimo {

using Bytes = std::vector<std::uint8_t>;
using ByteSpan = std::span<const std::uint8_t>;

/// What an erased flash byte reads as.
constexpr std::uint8_t kBlankByte = 0xFF;

/// Swaps bit 7 and bit 0, bit 6 and bit 1, and so on.
constexpr std::uint8_t reverseBits(std::uint8_t byte) {
  byte = static_cast<std::uint8_t>((byte & 0xF0u) >> 4 | (byte & 0x0Fu) << 4);
  byte = static_cast<std::uint8_t>((byte & 0xCCu) >> 2 | (byte & 0x33u) << 2);
  return static_cast<std::uint8_t>((byte & 0xAAu) >> 1 | (byte & 0x55u) << 1);
}

/// The same for each of the eight bytes of a word; the bytes keep their places.
constexpr std::uint64_t reverseBitsInBytes(std::uint64_t word) {
  word = (word & 0xF0F0F0F0F0F0F0F0u) >> 4 | (word & 0x0F0F0F0F0F0F0F0Fu) << 4;
  word = (word & 0xCCCCCCCCCCCCCCCCu) >> 2 | (word & 0x3333333333333333u) << 2;
  return (word & 0xAAAAAAAAAAAAAAAAu) >> 1 | (word & 0x5555555555555555u) << 1;
}

constexpr std::uint16_t loadLe16(const std::uint8_t* p) {
  return static_cast<std::uint16_t>(p[0] | p[1] << 8);
}
constexpr std::uint32_t loadLe32(const std::uint8_t* p) {
  return static_cast<std::uint32_t>(p[0]) | static_cast<std::uint32_t>(p[1]) << 8 |
         static_cast<std::uint32_t>(p[2]) << 16 | static_cast<std::uint32_t>(p[3]) << 24;
}

}  // namespace imprimo
