// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/visible_text.h"

#include <fmt/format.h>

#include <cstdint>

namespace imprimo {
namespace {

/// Bytes of the UTF-8 sequence that `text` begins with (RFC 3629); 0 where it is none.
std::size_t sequenceLength(std::string_view text) {
  const auto byte = [&](std::size_t i) { return static_cast<std::uint8_t>(text[i]); };
  const std::uint8_t first = byte(0);
  const std::size_t length = first < 0x80                    ? 1
                             : first >= 0xC2 && first < 0xE0 ? 2
                             : (first & 0xF0) == 0xE0        ? 3
                             : first >= 0xF0 && first < 0xF5 ? 4
                                                             : 0;
  if (length == 0 || length > text.size()) return 0;
  for (std::size_t i = 1; i < length; ++i) {
    if ((byte(i) & 0xC0) != 0x80) return 0;
  }
  // Overlong forms, halves of pairs, and what lies past the last code point.
  if (length == 3 && ((first == 0xE0 && byte(1) < 0xA0) || (first == 0xED && byte(1) >= 0xA0))) return 0;
  if (length == 4 && ((first == 0xF0 && byte(1) < 0x90) || (first == 0xF4 && byte(1) >= 0x90))) return 0;
  return length;
}

std::string visible(std::string_view text, bool lines) {
  std::string shown;
  shown.reserve(text.size());
  while (!text.empty()) {
    const auto first = static_cast<std::uint8_t>(text[0]);
    const std::size_t length = sequenceLength(text);
    const bool second = length == 2 && first == 0xC2 && static_cast<std::uint8_t>(text[1]) < 0xA0;  // C1 controls
    if (lines && (first == '\n' || first == '\t')) {
      shown += text[0];
    } else if (first == '\n' || first == '\t' || first == '\r') {
      shown += first == '\n' ? "\\n" : first == '\t' ? "\\t" : "\\r";
    } else if (first == 0x1B) {
      shown += "\\e";
    } else if (length == 0 || first < 0x20 || first == 0x7F) {
      shown += fmt::format("\\x{:02X}", first);
    } else if (second) {
      shown += fmt::format("\\x{:02X}", static_cast<std::uint8_t>(text[1]));
    } else {
      shown += text.substr(0, length);
    }
    text.remove_prefix(length == 0 ? 1 : length);
  }
  return shown;
}

}  // namespace

std::string visibleText(std::string_view text) {
  return visible(text, false);
}

std::string visibleLines(std::string_view text) {
  return visible(text, true);
}

}  // namespace imprimo
