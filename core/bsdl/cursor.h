// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <optional>

#include "core/bsdl/lexer.h"

namespace imprimo::bsdl {

/// Decimal digits only; nothing for anything else and for what does not fit.
std::optional<std::uint32_t> wholeNumber(std::string_view text);

/// Tokens and a place among them. What is wrong is told to `fail`, which throws, with the token's offset.
class Cursor {
 public:
  using Fail = std::function<void(std::size_t offset, const std::string& what)>;
  Cursor(std::vector<Token> tokens, Fail fail) : tokens_(std::move(tokens)), fail_(std::move(fail)) {}

  const Token& peek(std::size_t ahead = 0) const { return tokens_[std::min(at_ + ahead, tokens_.size() - 1)]; }
  bool atEnd() const { return peek().kind == TokenKind::End; }
  Token take() { return atEnd() ? peek() : tokens_[at_++]; }
  std::size_t place() const { return at_; }
  void moveTo(std::size_t place) { at_ = place; }

  bool isWord(std::string_view word) const { return peek().kind == TokenKind::Word && sameWord(peek().text, word); }
  bool isSymbol(char symbol) const {
    return peek().kind == TokenKind::Symbol && peek().text.size() == 1 && peek().text[0] == symbol;
  }
  bool takeWord(std::string_view word) { return isWord(word) && (take(), true); }
  bool takeSymbol(char symbol) { return isSymbol(symbol) && (take(), true); }

  void needWord(std::string_view word);
  void needSymbol(char symbol);
  /// A word that begins with a letter.
  std::string needName(std::string_view what);
  /// A word of letters or digits: names of pins, bit patterns.
  std::string needWordOrNumber(std::string_view what);
  std::uint32_t needInteger(std::string_view what);
  /// "NAME" or "NAME(3)".
  std::string needPort();
  /// Commas between, none behind the last; for lists that fill the rest of the text.
  bool another();

  /// Everything up to the bracket that closes the one taken before, which is taken too.
  std::string restOfBrackets();

  [[noreturn]] void expected(std::string_view what) const;
  [[noreturn]] void failAt(std::size_t offset, const std::string& what) const;

 private:
  std::vector<Token> tokens_;
  Fail fail_;
  std::size_t at_ = 0;
};

/// The value of an attribute or a constant, joined from several strings, that still knows where in the file each of
/// its characters came from.
class JoinedText {
 public:
  void add(std::string_view text, std::size_t offset);
  bool empty() const { return devices_.empty(); }
  const std::string& text() const { return text_; }
  std::size_t offsetInFile(std::size_t at) const;
  /// A cursor whose complaints name places in `source`. Both have to outlive it.
  Cursor cursor(const Source& source) const;

 private:
  struct Device {
    std::size_t at, offset;
  };
  std::string text_;
  std::vector<Device> devices_;
};

}  // namespace imprimo::bsdl
