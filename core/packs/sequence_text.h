// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace imprimo::packs {

/// An expression of the debug sequences' language (Open-CMSIS-Pack, Debug Access Sequences): C's operators on numbers
/// of 64 bits, calls of the standard's functions, and text as their argument.
struct Expression {
  enum class Kind : std::uint8_t { Number, Text, Variable, Unary, Binary, Conditional, Call };
  Kind kind = Kind::Number;
  std::uint64_t number = 0;
  std::string name;  ///< of a variable or function; an operator; text
  std::vector<Expression> parts;
};

struct Statement {
  enum class Kind : std::uint8_t { Declare, Assign, Evaluate };
  Kind kind = Kind::Evaluate;
  std::string variable;
  Expression value;
  std::size_t line = 0;
};

/// Where a text stands, for messages.
struct TextPlace {
  std::string file;
  std::size_t line = 1;  ///< of its first character
};

/// Statements, each with a semicolon at its end. Throws BadFile with file and line.
std::vector<Statement> parseStatements(std::string_view text, const TextPlace& place);
/// One expression; an empty text is 1. Throws BadFile.
Expression parseExpression(std::string_view text, const TextPlace& place);

/// The expression as it would be written, numbers in hexadecimal where they are addresses or masks.
std::string textOf(const Expression& expression);

}  // namespace imprimo::packs
