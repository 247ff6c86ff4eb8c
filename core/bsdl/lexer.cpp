// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/lexer.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::bsdl {
namespace {

// The file is ASCII or Latin-1; the C library's classes follow the locale, so we have our own.
constexpr bool isLetter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}
constexpr bool isDigit(char c) {
  return c >= '0' && c <= '9';
}
constexpr bool isWord(char c) {
  return isLetter(c) || isDigit(c) || c == '_';
}
constexpr char upper(char c) {
  return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
}
constexpr bool isBlank(char c) {
  return c == ' ' || (c >= '\t' && c <= '\r') || c == '\xA0' || c == '\x1A';
}
constexpr std::string_view kSymbols = "()[]{};:,.&*+-=<>/'|@#!%^?~$\\`";

/// The end of the word or number that begins at `at`: 32, 20.0e6, 1.0E-3, 0b01X, BC_1.
std::size_t endOfWord(std::string_view text, std::size_t at) {
  const bool number = isDigit(text[at]);
  const auto peek = [&](std::size_t i) { return i < text.size() ? text[i] : '\0'; };
  std::size_t end = at;
  while (isWord(peek(end)) || (number && ((peek(end) == '.' && isDigit(peek(end + 1))) ||
                                          ((peek(end) == '+' || peek(end) == '-') && end > at &&
                                           upper(text[end - 1]) == 'E' && isDigit(peek(end + 1)))))) {
    ++end;
  }
  return end;
}

std::size_t endOfSymbol(std::string_view text, std::size_t at) {
  const char c = text[at];
  const char after = at + 1 < text.size() ? text[at + 1] : '\0';
  const bool two = ((c == ':' || c == '<' || c == '>') && after == '=') || (c == '=' && after == '>');
  return at + (two ? 2 : 1);
}

}  // namespace

Location Source::locate(std::size_t offset) const {
  Location where;
  offset = std::min(offset, text.size());
  std::size_t line = 0;
  for (std::size_t i = 0; i < offset; ++i) {
    if (text[i] != '\n') continue;
    ++where.line;
    line = i + 1;
  }
  where.column = static_cast<int>(offset - line) + 1;
  return where;
}

std::string Source::at(std::size_t offset, const std::string& what) const {
  const Location where = locate(offset);
  return fmt::format("{}:{}:{}: {}", name, where.line, where.column, what);
}

void Source::fail(std::size_t offset, const std::string& what) const {
  throw Error(ErrorKind::BadFile, at(offset, what));
}

std::vector<Token> tokenize(const Source& source) {
  const std::string_view text = source.text;
  std::vector<Token> tokens;
  tokens.reserve(text.size() / 16);
  for (std::size_t at = 0; at < text.size();) {
    const char c = text[at];
    std::size_t end = 0;
    if (isBlank(c)) {
      ++at;
      continue;
    }
    if (c == '-' && at + 1 < text.size() && text[at + 1] == '-') {
      at = std::min(text.find('\n', at), text.size());
      continue;
    }
    if (isLetter(c) || isDigit(c)) {
      end = endOfWord(text, at);
      tokens.push_back({isDigit(c) ? TokenKind::Number : TokenKind::Word, text.substr(at, end - at), at});
    } else if (c == '"') {
      end = text.find_first_of("\"\r\n", at + 1);
      if (end == std::string_view::npos || text[end] != '"') source.fail(at, "this string is not closed on its line");
      tokens.push_back({TokenKind::String, text.substr(at + 1, end - at - 1), at});
      ++end;
    } else if (kSymbols.find(c) != std::string_view::npos) {
      end = endOfSymbol(text, at);
      tokens.push_back({TokenKind::Symbol, text.substr(at, end - at), at});
    } else {
      source.fail(at,
                  fmt::format("a character that does not belong here (code 0x{:02X})", static_cast<unsigned char>(c)));
    }
    at = end;
  }
  tokens.push_back({TokenKind::End, {}, text.size()});
  return tokens;
}

std::vector<Token> tokenizeInside(std::string_view text) {
  std::vector<Token> tokens;
  tokens.reserve(text.size() / 3);
  for (std::size_t at = 0; at < text.size();) {
    const char c = text[at];
    if (isBlank(c)) {
      ++at;
      continue;
    }
    // Whatever is no word is a symbol here: text for people stands in these strings too.
    const std::size_t end = isWord(c) ? endOfWord(text, at) : at + 1;
    tokens.push_back({isDigit(c)  ? TokenKind::Number
                      : isWord(c) ? TokenKind::Word
                                  : TokenKind::Symbol,
                      text.substr(at, end - at), at});
    at = end;
  }
  tokens.push_back({TokenKind::End, {}, text.size()});
  return tokens;
}

bool sameWord(std::string_view a, std::string_view b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) { return upper(x) == upper(y); });
}

std::string upperCase(std::string_view text) {
  std::string result(text);
  std::transform(result.begin(), result.end(), result.begin(), upper);
  return result;
}

}  // namespace imprimo::bsdl
