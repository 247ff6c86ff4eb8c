// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/bytes.h"

namespace imprimo {

/// Made-up contents for tests.
struct Pattern {
  enum Kind { Value, Counting, Random, Text } kind = Value;
  std::uint64_t value = 0;   ///< the byte, or the seed
  std::string text = {};     ///< what is repeated
  std::uint64_t length = 0;  ///< bytes
  friend bool operator==(const Pattern&, const Pattern&) = default;
};

/// "0xA5+4K", "counting+4K", "random:SEED+4K" or "text:WORDS+4K"; the length is what follows the last '+'. Nothing for
/// anything else.
std::optional<Pattern> parsePattern(std::string_view text);
std::string patternText(const Pattern& pattern);

/// The same pattern always gives the same bytes. Counting is one byte up each time; random bytes come from a 64-bit
/// xorshift* generator.
Bytes patternBytes(const Pattern& pattern);

/// No pattern is longer.
constexpr std::uint64_t kLongestPattern = 1ull << 30;

}  // namespace imprimo
