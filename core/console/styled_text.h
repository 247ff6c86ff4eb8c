// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace imprimo::console {

/// How text is to look, by the control sequences of ECMA-48 (SGR): one of eight colours, 8 for none, and boldness.
struct TextStyle {
  std::uint8_t color = 8;
  bool bold = false;
  friend bool operator==(const TextStyle&, const TextStyle&) = default;
};

struct StyledPiece {
  std::string text;  ///< UTF-8
  TextStyle style{};
  bool bytes = false;  ///< bytes that are no text, as they are read: "‹0A 1B›"
};

/// A line as it is shown: what is no text is written in hexadecimal, other control sequences are left out. `style` is
/// how the line begins, and becomes how the next one does.
std::vector<StyledPiece> styledText(std::string_view line, TextStyle& style);
/// The same without its looks.
std::string plainText(std::string_view line);
/// The same of a text of several lines.
std::string readableText(std::string_view text);

}  // namespace imprimo::console
