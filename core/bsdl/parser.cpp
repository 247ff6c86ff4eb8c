// SPDX-License-Identifier: GPL-3.0-or-later
//
// The grammar read here, after IEEE 1149.1-2013 annex B (case does not matter, comments are gone):
//
//   file       = { anything } entity
//   entity     = "entity" name "is" { generic | port | attribute | constant | anything ";" } "end" [name] ";"
//   port       = "port" "(" names ":" mode type { ";" names ":" mode type } ")" ";"
//   type       = "bit" | "bit_vector" "(" number ("to" | "downto") number ")"
//   attribute  = "attribute" name "of" target ":" class "is" value ";"
//   value      = string { "&" string } | tokens
//
// Inside the strings:
//   INSTRUCTION_OPCODE  name "(" pattern { "," pattern } ")" { "," ... }
//   REGISTER_ACCESS     name [ "[" number "]" ] "(" instruction { "," instruction } ")" { "," ... }
//   IDCODE_REGISTER     pattern of 32 { "," pattern of 32 }
#include <fmt/format.h>

#include <charconv>
#include <functional>

#include "core/base/error.h"
#include "core/bsdl/boundary_description.h"
#include "core/bsdl/lexer.h"

namespace imprimo::bsdl {
namespace {

// No part has longer ones; a larger figure is a slip and would only make us ask for memory.
constexpr std::uint32_t kMostInstructionBits = 1024;

[[noreturn]] void failAt(const std::string& name, Location where, const std::string& what) {
  throw Error(ErrorKind::BadFile, fmt::format("{}:{}:{}: {}", name, where.line, where.column, what));
}

std::optional<std::uint32_t> integer(std::string_view text) {
  std::uint32_t value = 0;
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (failure != std::errc{} || end != text.data() + text.size()) return std::nullopt;
  return value;
}

/// Tokens and a place among them.
class Cursor {
 public:
  Cursor(std::vector<Token> tokens, const std::string& file) : tokens_(std::move(tokens)), file_(file) {}

  const Token& peek() const { return tokens_[at_]; }
  bool atEnd() const { return peek().kind == TokenKind::End; }
  Token take() { return atEnd() ? peek() : tokens_[at_++]; }

  bool isWord(std::string_view word) const {
    return peek().kind == TokenKind::Identifier && sameWord(peek().text, word);
  }
  bool isSymbol(std::string_view symbol) const { return peek().kind == TokenKind::Symbol && peek().text == symbol; }
  bool takeWord(std::string_view word) { return isWord(word) && (take(), true); }
  bool takeSymbol(std::string_view symbol) { return isSymbol(symbol) && (take(), true); }

  void needWord(std::string_view word) {
    if (!takeWord(word)) expected(fmt::format("'{}'", word));
  }
  void needSymbol(std::string_view symbol) {
    if (!takeSymbol(symbol)) expected(fmt::format("'{}'", symbol));
  }
  std::string needName(std::string_view what) {
    if (peek().kind != TokenKind::Identifier) expected(what);
    return take().text;
  }
  std::uint32_t needInteger(std::string_view what) {
    const auto value = peek().kind == TokenKind::Number ? integer(peek().text) : std::nullopt;
    if (!value) expected(what);
    take();
    return *value;
  }

  [[noreturn]] void expected(std::string_view what) const {
    failAt(file_, peek().where,
           atEnd() ? fmt::format("the text ends where {} should stand", what)
                   : fmt::format("{} should stand here, not '{}'", what, peek().text.substr(0, 40)));
  }

 private:
  std::vector<Token> tokens_;
  const std::string& file_;
  std::size_t at_ = 0;
};

/// A text joined from several strings that still knows where in the file its parts came from.
struct JoinedText {
  struct Part {
    std::string text;
    Location where;
  };
  std::vector<Part> parts;

  std::string text() const {
    std::string all;
    for (const Part& part : parts) all += part.text;
    return all;
  }

  /// Tokens of the joined text, each at its place in the file. A token never goes over from one string to the next,
  /// except bit patterns, which the reader of patterns puts together.
  std::vector<Token> tokens(const std::string& file) const {
    std::vector<Token> all;
    for (const Part& part : parts) {
      std::vector<Token> some = tokenize(part.text, file);
      some.pop_back();
      for (Token& token : some) {
        token.where = {part.where.line, part.where.column + token.where.column};
        all.push_back(std::move(token));
      }
    }
    Location end;
    if (!parts.empty())
      end = {parts.back().where.line, parts.back().where.column + static_cast<int>(parts.back().text.size())};
    all.push_back({TokenKind::End, "", end});
    return all;
  }
};

class Parser {
 public:
  Parser(std::string_view text, const std::string& name) : file_(name), cursor_(tokenize(text, name), file_) {}

  BoundaryDescription run() {
    while (!cursor_.atEnd() && !cursor_.isWord("entity")) cursor_.take();
    cursor_.needWord("entity");
    part_.entity = cursor_.needName("the entity's name");
    cursor_.needWord("is");
    while (!cursor_.isWord("end")) {
      if (cursor_.atEnd()) cursor_.expected("'end'");
      statement();
    }
    for (const auto& check : late_) check();
    finish();
    return std::move(part_);
  }

 private:
  void statement() {
    if (cursor_.takeWord("port")) return ports();
    if (cursor_.takeWord("attribute")) return attribute();
    skipStatement();
  }

  void skipStatement() {
    while (!cursor_.atEnd() && !cursor_.takeSymbol(";")) cursor_.take();
  }

  void ports() {
    cursor_.needSymbol("(");
    do {
      std::vector<std::string> names;
      do {
        names.push_back(cursor_.needName("a port's name"));
      } while (cursor_.takeSymbol(","));
      cursor_.needSymbol(":");
      Port port;
      port.mode = cursor_.needName("in, out, inout, buffer or linkage");
      const std::string type = cursor_.needName("bit or bit_vector");
      if (sameWord(type, "bit_vector")) {
        cursor_.needSymbol("(");
        const auto left = static_cast<int>(cursor_.needInteger("a bound"));
        if (!cursor_.takeWord("to")) cursor_.needWord("downto");
        port.range = {left, static_cast<int>(cursor_.needInteger("a bound"))};
        cursor_.needSymbol(")");
      } else if (!sameWord(type, "bit")) {
        cursor_.expected("bit or bit_vector");
      }
      for (std::string& name : names) {
        port.name = std::move(name);
        part_.ports.push_back(port);
      }
    } while (cursor_.takeSymbol(";"));
    cursor_.needSymbol(")");
    cursor_.needSymbol(";");
  }

  void attribute() {
    Attribute found;
    const Location where = cursor_.peek().where;
    found.name = upperCase(cursor_.needName("the attribute's name"));
    if (cursor_.takeSymbol(":")) return skipStatement();  // a declaration
    cursor_.needWord("of");
    found.target = upperCase(cursor_.needName("what the attribute belongs to"));
    cursor_.needSymbol(":");
    cursor_.needName("entity, signal or constant");
    cursor_.needWord("is");

    JoinedText joined;
    std::string plain;
    while (!cursor_.takeSymbol(";")) {
      if (cursor_.atEnd()) cursor_.expected("';'");
      const Token token = cursor_.take();
      if (token.kind == TokenKind::String) {
        joined.parts.push_back({token.text, token.where});
      } else if (token.text != "&") {
        plain += token.text;
      }
    }
    found.value = joined.parts.empty() ? plain : joined.text();
    interpret(found, joined, where);
    part_.attributes.push_back(std::move(found));
  }

  void interpret(const Attribute& a, const JoinedText& joined, Location where) {
    if (a.name == "INSTRUCTION_LENGTH") {
      part_.instructionLength = wholeNumber(a, where, kMostInstructionBits);
      if (part_.instructionLength < 2) failAt(file_, where, "an instruction register has at least 2 bits");
    } else if (a.name == "BOUNDARY_LENGTH") {
      part_.boundaryLength = wholeNumber(a, where, 1u << 24);
    } else if (a.name == "INSTRUCTION_OPCODE") {
      opcodes(joined);
    } else if (a.name == "INSTRUCTION_CAPTURE") {
      part_.instructionCapture = pattern(a.value, where);
      late_.push_back([this, where] { needLength(part_.instructionCapture, where, "INSTRUCTION_CAPTURE"); });
    } else if (a.name == "INSTRUCTION_PRIVATE") {
      late_.push_back([this, joined] { markPrivate(joined); });
    } else if (a.name == "IDCODE_REGISTER") {
      part_.idcodes = codes(a.value, where, a.name);
    } else if (a.name == "USERCODE_REGISTER") {
      part_.usercodes = codes(a.value, where, a.name);
    } else if (a.name == "REGISTER_ACCESS") {
      registers(joined);
    }
  }

  std::uint32_t wholeNumber(const Attribute& a, Location where, std::uint32_t most) const {
    const auto value = integer(a.value);
    if (!value || *value > most)
      failAt(file_, where, fmt::format("{} should be a whole number up to {}", a.name, most));
    return *value;
  }

  /// Bits and X without blanks, in upper case.
  std::string pattern(std::string_view text, Location where) const {
    std::string bits;
    for (const char c : text) {
      if (c == ' ' || c == '\t') continue;
      if (c != '0' && c != '1' && c != 'x' && c != 'X') {
        failAt(file_, where, fmt::format("a bit is 0, 1 or X, not '{}'", c));
      }
      bits += c == 'x' ? 'X' : c;
    }
    return bits;
  }

  std::vector<Pattern> codes(std::string_view text, Location where, const std::string& what) const {
    std::vector<Pattern> result;
    while (!text.empty()) {
      const std::size_t comma = std::min(text.find(','), text.size());
      const std::string bits = pattern(text.substr(0, comma), where);
      if (bits.size() != 32) failAt(file_, where, fmt::format("{} has {} bits, should have 32", what, bits.size()));
      Pattern code;
      for (const char c : bits) {
        code.value = code.value << 1 | (c == '1');
        code.mask = code.mask << 1 | (c != 'X');
      }
      result.push_back(code);
      text.remove_prefix(std::min(comma + 1, text.size()));
    }
    return result;
  }

  void opcodes(const JoinedText& joined) {
    Cursor inside(joined.tokens(file_), file_);
    while (!inside.atEnd()) {
      Instruction instruction;
      const Location where = inside.peek().where;
      instruction.name = inside.needName("an instruction's name");
      inside.needSymbol("(");
      do {
        std::string bits;
        const Location at = inside.peek().where;
        while (!inside.isSymbol(",") && !inside.isSymbol(")")) {
          if (inside.atEnd()) inside.expected("')'");
          bits += inside.take().text;
        }
        instruction.opcodes.push_back(pattern(bits, at));
        late_.push_back([this, text = instruction.opcodes.back(), at, name = instruction.name] {
          needLength(text, at, "the opcode of " + name);
        });
      } while (inside.takeSymbol(","));
      inside.needSymbol(")");
      if (part_.instruction(instruction.name) != nullptr) {
        failAt(file_, where, fmt::format("{} has its opcodes twice", instruction.name));
      }
      part_.instructions.push_back(std::move(instruction));
      if (!inside.takeSymbol(",") && !inside.atEnd()) inside.expected("','");
    }
  }

  void markPrivate(const JoinedText& joined) {
    Cursor inside(joined.tokens(file_), file_);
    while (!inside.atEnd()) {
      const Location where = inside.peek().where;
      const std::string name = inside.needName("an instruction's name");
      bool found = false;
      for (Instruction& instruction : part_.instructions) {
        if (!sameWord(instruction.name, name)) continue;
        instruction.isPrivate = true;
        found = true;
      }
      if (!found) failAt(file_, where, fmt::format("{} has no opcode in INSTRUCTION_OPCODE", name));
      if (!inside.takeSymbol(",") && !inside.atEnd()) inside.expected("','");
    }
  }

  void registers(const JoinedText& joined) {
    Cursor inside(joined.tokens(file_), file_);
    while (!inside.atEnd()) {
      RegisterAccess access;
      access.name = inside.needName("a register's name");
      if (inside.takeSymbol("[")) {
        access.length = inside.needInteger("the register's length");
        inside.needSymbol("]");
      }
      inside.needSymbol("(");
      do {
        access.instructions.push_back(inside.needName("an instruction's name"));
        // 1149.1-2001 lets an instruction tell what it captures; that is of no use here
        while (!inside.isSymbol(",") && !inside.isSymbol(")")) {
          if (inside.atEnd()) inside.expected("')'");
          inside.take();
        }
      } while (inside.takeSymbol(","));
      inside.needSymbol(")");
      part_.registers.push_back(std::move(access));
      if (!inside.takeSymbol(",") && !inside.atEnd()) inside.expected("','");
    }
  }

  void needLength(const std::string& bits, Location where, const std::string& what) const {
    if (bits.size() == part_.instructionLength) return;
    failAt(file_, where,
           fmt::format("{} has {} bits, the instruction register has {}", what, bits.size(), part_.instructionLength));
  }

  void finish() const {
    if (part_.instructionLength == 0) {
      failAt(file_, cursor_.peek().where, fmt::format("{} has no INSTRUCTION_LENGTH", part_.entity));
    }
  }

  const std::string& file_;
  Cursor cursor_;
  BoundaryDescription part_;
  std::vector<std::function<void()>> late_;  // what can be checked only when all attributes are known
};

}  // namespace

BoundaryDescription parse(std::string_view text, const std::string& name) {
  return Parser(text, name).run();
}

}  // namespace imprimo::bsdl
