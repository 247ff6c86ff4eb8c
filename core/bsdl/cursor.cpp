// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/cursor.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <stdexcept>

namespace imprimo::bsdl {

std::optional<std::uint32_t> wholeNumber(std::string_view text) {
  std::uint32_t value = 0;
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (failure != std::errc{} || end != text.data() + text.size()) return std::nullopt;
  return value;
}

void Cursor::needWord(std::string_view word) {
  if (!takeWord(word)) expected(fmt::format("'{}'", word));
}

void Cursor::needSymbol(char symbol) {
  if (!takeSymbol(symbol)) expected(fmt::format("'{}'", symbol));
}

std::string Cursor::needName(std::string_view what) {
  if (peek().kind != TokenKind::Word) expected(what);
  return std::string(take().text);
}

std::string Cursor::needWordOrNumber(std::string_view what) {
  if (peek().kind != TokenKind::Word && peek().kind != TokenKind::Number) expected(what);
  return std::string(take().text);
}

std::uint32_t Cursor::needInteger(std::string_view what) {
  const auto value = peek().kind == TokenKind::Number ? wholeNumber(peek().text) : std::nullopt;
  if (!value) expected(what);
  take();
  return *value;
}

std::string Cursor::needPort() {
  std::string port = needName("a port's name");
  if (!takeSymbol('(')) return port;
  port += fmt::format("({})", needInteger("an index"));
  needSymbol(')');
  return port;
}

bool Cursor::another() {
  if (takeSymbol(',')) return !atEnd();
  if (!atEnd()) expected("','");
  return false;
}

std::string Cursor::restOfBrackets() {
  std::string text;
  for (int depth = 1;;) {
    if (atEnd()) expected("')'");
    const Token token = take();
    if (token.text == "(") ++depth;
    if (token.text == ")" && --depth == 0) return text;
    if (!text.empty()) text += ' ';
    text += token.text;
  }
}

void Cursor::expected(std::string_view what) const {
  failAt(peek().offset, atEnd() ? fmt::format("the text ends where {} should stand", what)
                                : fmt::format("{} should stand here, not '{}'", what, peek().text.substr(0, 40)));
}

void Cursor::failAt(std::size_t offset, const std::string& what) const {
  fail_(offset, what);
  throw std::logic_error("a complaint that nobody heard: " + what);
}

void JoinedText::add(std::string_view text, std::size_t offset) {
  devices_.push_back({text_.size(), offset});
  text_ += text;
}

std::size_t JoinedText::offsetInFile(std::size_t at) const {
  if (devices_.empty()) return 0;
  auto device =
      std::upper_bound(devices_.begin(), devices_.end(), at, [](std::size_t a, const Device& p) { return a < p.at; });
  if (device != devices_.begin()) --device;
  return device->offset + (at - device->at);
}

Cursor JoinedText::cursor(const Source& source) const {
  return {tokenizeInside(text_),
          [this, &source](std::size_t offset, const std::string& what) { source.fail(offsetInFile(offset), what); }};
}

}  // namespace imprimo::bsdl
