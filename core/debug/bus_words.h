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

}  // namespace imprimo::debug
