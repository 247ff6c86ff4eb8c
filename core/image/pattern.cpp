// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/pattern.h"

#include <fmt/format.h>

#include "core/base/number.h"

namespace imprimo {

std::optional<Pattern> parsePattern(std::string_view text) {
  const std::size_t plus = text.rfind('+');
  if (plus == std::string_view::npos) return std::nullopt;
  const auto length = parseNumber(text.substr(plus + 1));
  if (!length || *length == 0 || *length > kLongestPattern) return std::nullopt;
  const std::string_view what = text.substr(0, plus);
  Pattern pattern;
  pattern.length = *length;
  if (what == "counting") {
    pattern.kind = Pattern::Counting;
  } else if (what.starts_with("random:")) {
    const auto seed = parseNumber(what.substr(7));
    if (!seed) return std::nullopt;
    pattern.kind = Pattern::Random;
    pattern.value = *seed;
  } else if (what.starts_with("text:") && what.size() > 5) {
    pattern.kind = Pattern::Text;
    pattern.text = what.substr(5);
  } else {
    const auto value = parseNumber(what);
    if (!value || *value > 0xFF) return std::nullopt;
    pattern.value = *value;
  }
  return pattern;
}

std::string patternText(const Pattern& pattern) {
  switch (pattern.kind) {
    case Pattern::Value:
      return fmt::format("{}+{:#x}", hexByte(static_cast<std::uint8_t>(pattern.value)), pattern.length);
    case Pattern::Counting:
      return fmt::format("counting+{:#x}", pattern.length);
    case Pattern::Random:
      return fmt::format("random:{}+{:#x}", pattern.value, pattern.length);
    case Pattern::Text:
      return fmt::format("text:{}+{:#x}", pattern.text, pattern.length);
  }
  return "";
}

Bytes patternBytes(const Pattern& pattern) {
  Bytes bytes(pattern.length, static_cast<std::uint8_t>(pattern.value));
  if (pattern.kind == Pattern::Counting) {
    for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] = static_cast<std::uint8_t>(i);
  } else if (pattern.kind == Pattern::Text) {
    for (std::size_t i = 0; i < bytes.size(); ++i) {
      bytes[i] = static_cast<std::uint8_t>(pattern.text[i % pattern.text.size()]);
    }
  } else if (pattern.kind == Pattern::Random) {
    // Marsaglia's xorshift with Vigna's multiplier; a state of 0 would stay there.
    std::uint64_t state = pattern.value * 0x9E3779B97F4A7C15u + 0x2545F4914F6CDD1Du;
    if (state == 0) state = 1;
    for (std::uint8_t& byte : bytes) {
      state ^= state >> 12;
      state ^= state << 25;
      state ^= state >> 27;
      byte = static_cast<std::uint8_t>(state * 0x2545F4914F6CDD1Du >> 56);
    }
  }
  return bytes;
}

}  // namespace imprimo
