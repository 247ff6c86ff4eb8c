// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/styled_text.h"

#include <fmt/format.h>

#include <algorithm>

namespace imprimo::console {
namespace {

/// How long the character at the beginning is in UTF-8, shortest form only; 0 where it is none.
std::size_t characterLength(std::string_view text) {
  const auto byte = [&](std::size_t i) { return i < text.size() ? static_cast<std::uint8_t>(text[i]) : 0; };
  const auto more = [&](std::size_t count) {
    for (std::size_t i = 1; i <= count; ++i) {
      if ((byte(i) & 0xC0) != 0x80) return false;
    }
    return true;
  };
  const std::uint8_t first = byte(0);
  if (first < 0x80) return first >= 0x20 && first != 0x7F ? 1 : first == '\t' ? 1 : 0;
  if (first >= 0xC2 && first < 0xE0 && more(1)) return first == 0xC2 && byte(1) < 0xA0 ? 0 : 2;
  if (first >= 0xE0 && first < 0xF0 && more(2)) {
    const std::uint8_t second = byte(1);
    return (first == 0xE0 && second < 0xA0) || (first == 0xED && second >= 0xA0) ? 0 : 3;
  }
  if (first >= 0xF0 && first < 0xF5 && more(3))
    return (first == 0xF0 && byte(1) < 0x90) || (first == 0xF4 && byte(1) >= 0x90) ? 0 : 4;
  return 0;
}

void takeStyle(std::string_view parameters, TextStyle& style) {
  std::size_t at = 0;
  while (at <= parameters.size()) {
    const std::size_t end = std::min(parameters.find(';', at), parameters.size());
    unsigned code = 0;
    for (const char c : parameters.substr(at, end - at))
      code = c >= '0' && c <= '9' && code < 1000 ? code * 10 + (c - '0') : 1000;
    if (code == 0) style = {};
    if (code == 1) style.bold = true;
    if (code == 22) style.bold = false;
    if (code >= 30 && code <= 37) style.color = static_cast<std::uint8_t>(code - 30);
    if (code >= 90 && code <= 97) style.color = static_cast<std::uint8_t>(code - 90);
    if (code == 39) style.color = TextStyle{}.color;
    at = end + 1;
  }
}

/// The length of a control sequence that begins with ESC; 0 where it is none, or has no end.
std::size_t sequenceLength(std::string_view text) {
  if (text.size() < 2 || text[0] != '\x1B') return 0;
  if (text[1] != '[') return text[1] >= 0x40 && text[1] <= 0x5F ? 2 : 0;
  for (std::size_t i = 2; i < text.size(); ++i) {
    if (text[i] >= 0x40 && text[i] <= 0x7E) return i + 1;
    if (text[i] < 0x20 || text[i] > 0x3F) return 0;
  }
  return 0;
}

}  // namespace

std::vector<StyledPiece> styledText(std::string_view line, TextStyle& style) {
  std::vector<StyledPiece> pieces;
  const auto add = [&](std::string_view text, bool bytes) {
    if (pieces.empty() || pieces.back().bytes != bytes || pieces.back().style != style)
      pieces.push_back({{}, style, bytes});
    pieces.back().text += text;
  };
  for (std::size_t at = 0; at < line.size();) {
    const std::string_view rest = line.substr(at);
    if (const std::size_t length = sequenceLength(rest); length > 0) {
      if (rest[1] == '[' && rest[length - 1] == 'm') takeStyle(rest.substr(2, length - 3), style);
      at += length;
    } else if (const std::size_t text = characterLength(rest); text > 0) {
      add(rest[0] == '\t' ? "    " : rest.substr(0, text), false);
      at += text;
    } else {
      add(fmt::format("{:02X} ", static_cast<std::uint8_t>(rest[0])), true);
      ++at;
    }
  }
  for (StyledPiece& piece : pieces) {
    if (!piece.bytes) continue;
    piece.text.pop_back();
    piece.text = "‹" + piece.text + "›";
  }
  return pieces;
}

std::string plainText(std::string_view line) {
  TextStyle style;
  std::string text;
  for (const StyledPiece& piece : styledText(line, style)) text += piece.text;
  return text;
}

std::string readableText(std::string_view text) {
  std::string all;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size());
    std::string_view line = text.substr(0, end);
    if (line.ends_with('\r')) line.remove_suffix(1);
    all += plainText(line);
    if (end < text.size()) all += '\n';
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  return all;
}

}  // namespace imprimo::console
