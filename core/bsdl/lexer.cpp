// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/lexer.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::bsdl {
namespace {

// The file is ASCII or Latin-1; the C library's classes follow the locale, so we have our own.
bool isLetter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}
bool isDigit(char c) {
  return c >= '0' && c <= '9';
}
bool isWord(char c) {
  return isLetter(c) || isDigit(c) || c == '_';
}
char upper(char c) {
  return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
}

class Lexer {
 public:
  Lexer(std::string_view text, const std::string& name) : text_(text), name_(name) {}

  std::vector<Token> run() {
    std::vector<Token> tokens;
    for (skipBlanks(); at_ < text_.size(); skipBlanks()) tokens.push_back(next());
    tokens.push_back({TokenKind::End, "", here_});
    return tokens;
  }

 private:
  [[noreturn]] void fail(const std::string& what) const {
    throw Error(ErrorKind::BadFile, fmt::format("{}:{}:{}: {}", name_, here_.line, here_.column, what));
  }

  char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }

  char take() {
    const char c = text_[at_++];
    if (c == '\n') {
      ++here_.line;
      here_.column = 1;
    } else {
      ++here_.column;
    }
    return c;
  }

  void skipBlanks() {
    while (at_ < text_.size()) {
      const char c = peek();
      if (c == '-' && peek(1) == '-') {
        while (at_ < text_.size() && peek() != '\n') take();
      } else if (c == ' ' || (c >= '\t' && c <= '\r') || c == '\xA0' || c == '\x1A') {
        take();
      } else {
        return;
      }
    }
  }

  Token next() {
    Token token{TokenKind::Symbol, "", here_};
    const char c = peek();
    if (isLetter(c)) {
      token.kind = TokenKind::Identifier;
      while (isWord(peek())) token.text += take();
    } else if (isDigit(c)) {
      token.kind = TokenKind::Number;
      // 32, 20.0e6, 1.0E-3; a vector range such as 1 to 8 stands apart
      while (isWord(peek()) || (peek() == '.' && isDigit(peek(1))) ||
             ((peek() == '+' || peek() == '-') && upper(token.text.back()) == 'E' && isDigit(peek(1)))) {
        token.text += take();
      }
    } else if (c == '"') {
      token.kind = TokenKind::String;
      readString(token);
    } else if (std::string_view("()[]{};:,.&*+-=<>/'|@#!%^?~$\\`").find(c) != std::string_view::npos) {
      token.text += take();
      if ((c == ':' || c == '<' || c == '>') && peek() == '=') token.text += take();
      if (c == '=' && peek() == '>') token.text += take();
      if (c == '<' && peek() == '>') token.text += take();
    } else {
      fail(fmt::format("a character that does not belong here (code 0x{:02X})", static_cast<unsigned char>(c)));
    }
    return token;
  }

  void readString(Token& token) {
    take();
    for (;;) {
      if (at_ >= text_.size() || peek() == '\n' || peek() == '\r') {
        here_ = token.where;
        fail("this string is not closed on its line");
      }
      const char c = take();
      if (c != '"') {
        token.text += c;
      } else if (peek() == '"') {
        token.text += take();
      } else {
        return;
      }
    }
  }

  std::string_view text_;
  const std::string& name_;
  std::size_t at_ = 0;
  Location here_;
};

}  // namespace

std::vector<Token> tokenize(std::string_view text, const std::string& name) {
  return Lexer(text, name).run();
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
