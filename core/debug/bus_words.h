// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"

namespace imprimo::debug {

/// Words of the bus as the bytes that they are in memory, the least significant first.
inline Bytes bytesOf(std::span<const std::uint32_t> words) {
  Bytes bytes;
  bytes.reserve(4 * words.size());
  for (const std::uint32_t word : words) {
    for (int shift = 0; shift < 32; shift += 8) bytes.push_back(static_cast<std::uint8_t>(word >> shift));
  }
  return bytes;
}

/// A word of 1 to 4 bytes as the bus has it, little-endian.
inline Bytes bytesOfWord(std::uint32_t value, std::uint32_t count) {
  Bytes bytes(count);
  for (std::uint32_t i = 0; i < count; ++i) bytes[i] = static_cast<std::uint8_t>(value >> (8 * i));
  return bytes;
}

/// The other way round.
inline std::uint32_t wordOf(ByteSpan bytes) {
  std::uint32_t value = 0;
  for (std::size_t i = 0; i < bytes.size(); ++i) value |= static_cast<std::uint32_t>(bytes[i]) << (8 * i);
  return value;
}

}  // namespace imprimo::debug
