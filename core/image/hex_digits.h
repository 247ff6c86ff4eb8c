// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <cstring>
#include <string>

#include "core/base/bytes.h"

namespace imprimo {

/// The value of a hexadecimal digit, -1 for any other character.
constexpr std::array<std::int8_t, 256> makeDigitValues() {
  std::array<std::int8_t, 256> table{};
  for (auto& value : table) value = -1;
  for (int i = 0; i < 10; ++i) table[static_cast<std::size_t>('0' + i)] = static_cast<std::int8_t>(i);
  for (int i = 0; i < 6; ++i) {
    table[static_cast<std::size_t>('A' + i)] = static_cast<std::int8_t>(10 + i);
    table[static_cast<std::size_t>('a' + i)] = static_cast<std::int8_t>(10 + i);
  }
  return table;
}
inline constexpr auto kDigitValues = makeDigitValues();

constexpr int digitValue(char c) {
  return kDigitValues[static_cast<unsigned char>(c)];
}

/// Appends a byte as two digits, upper case.
inline void appendHex(std::string& out, std::uint8_t byte) {
  constexpr char kDigits[] = "0123456789ABCDEF";
  out += kDigits[byte >> 4];
  out += kDigits[byte & 0xF];
}

/// The two digits of each byte.
constexpr std::array<std::array<char, 2>, 256> makeDigitPairs() {
  constexpr char kDigits[] = "0123456789ABCDEF";
  std::array<std::array<char, 2>, 256> table{};
  for (std::size_t i = 0; i < 256; ++i) table[i] = {kDigits[i >> 4], kDigits[i & 0xF]};
  return table;
}
inline constexpr auto kDigitPairs = makeDigitPairs();

/// Appends bytes as digits and gives their sum.
inline unsigned appendHex(std::string& out, ByteSpan bytes) {
  const std::size_t at = out.size();
  out.resize(at + 2 * bytes.size());
  char* to = out.data() + at;
  unsigned sum = 0;
  for (const std::uint8_t byte : bytes) {
    std::memcpy(to, kDigitPairs[byte].data(), 2);
    to += 2;
    sum += byte;
  }
  return sum;
}

}  // namespace imprimo
