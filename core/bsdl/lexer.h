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

enum class TokenKind { Identifier, Number, String, Symbol, End };

/// One token of the VHDL subset that BSDL is written in (IEEE 1149.1-2013 annex B.5).
struct Token {
  TokenKind kind = TokenKind::End;
  std::string text;  ///< identifiers as written; strings without quotes, "" inside made one quote
  Location where;
};

/// Splits a text into tokens, without comments. The last token is End. Throws BadFile "NAME:LINE:COLUMN: ..." for a
/// string that is not closed on its line and for a character that VHDL does not have.
std::vector<Token> tokenize(std::string_view text, const std::string& name);

/// BSDL is not case-sensitive.
bool sameWord(std::string_view a, std::string_view b);
std::string upperCase(std::string_view text);

}  // namespace imprimo::bsdl
