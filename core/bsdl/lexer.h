// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace imprimo::bsdl {

struct Location {
  int line = 1;
  int column = 1;
};

enum class TokenKind { Word, Number, String, Symbol, End };

/// One token of the VHDL subset that BSDL is written in (IEEE 1149.1-2013 annex B.5). `text` points into what was
/// tokenized; a string's is without its quotes.
struct Token {
  TokenKind kind = TokenKind::End;
  std::string_view text;
  std::size_t offset = 0;
};

/// A text with a name, that can tell where in it something stands.
struct Source {
  std::string name;
  std::string_view text;

  Location locate(std::size_t offset) const;
  /// Throws BadFile "NAME:LINE:COLUMN: what".
  [[noreturn]] void fail(std::size_t offset, const std::string& what) const;
  std::string at(std::size_t offset, const std::string& what) const;  ///< the same as text
};

/// Splits a text into tokens, without comments. The last token is End. Throws BadFile for a string that is not closed
/// on its line and for a character that VHDL does not have. `source` has to outlive the tokens.
std::vector<Token> tokenize(const Source& source);
/// The same for what stands inside strings: no comments and no strings there.
std::vector<Token> tokenizeInside(std::string_view text);

/// BSDL is not case-sensitive.
bool sameWord(std::string_view a, std::string_view b);
std::string upperCase(std::string_view text);

}  // namespace imprimo::bsdl
