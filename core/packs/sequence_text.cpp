// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/sequence_text.h"

#include <fmt/format.h>

#include <charconv>

#include "core/base/error.h"
#include "core/base/visible_text.h"

namespace imprimo::packs {
namespace {

/// Longest first, so that "<<" is not read as "<".
constexpr std::string_view kSigns[] = {"<<", ">>", "<=", ">=", "==", "!=", "&&", "||", "+", "-", "*", "/", "%", "&",
                                       "|",  "^",  "~",  "!",  "<",  ">",  "=",  "?",  ":", "(", ")", ",", ";"};
/// Of the binary operators, from those that bind least.
constexpr std::string_view kLevels[][4] = {
    {"||"},       {"&&"},     {"|"},          {"^"}, {"&"}, {"==", "!="}, {"<", ">", "<=", ">="},
    {"<<", ">>"}, {"+", "-"}, {"*", "/", "%"}};
constexpr std::size_t kLevelCount = std::size(kLevels);
/// Parentheses and the like within each other; each is some calls deep here.
constexpr int kDeepestNesting = 64;

struct Token {
  enum class Kind : std::uint8_t { End, Number, Word, Text, Sign } kind = Kind::End;
  std::string_view text;
  std::uint64_t number = 0;
  std::size_t line = 0;
};

bool isLetter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_';
}
bool isDigit(char c) {
  return c >= '0' && c <= '9';
}

class Reader {
 public:
  Reader(std::string_view text, const TextPlace& place) : text_(text), file_(place.file), line_(place.line) { next(); }

  bool atEnd() const { return token_.kind == Token::Kind::End; }

  std::vector<Statement> statements() {
    std::vector<Statement> all;
    while (!atEnd()) {
      if (takes(";")) continue;
      all.push_back(statement());
    }
    return all;
  }

  Expression expression() {
    const Nested nested(*this);
    Expression condition = binary(0);
    if (!takes("?")) return condition;
    Expression whole{Expression::Kind::Conditional, 0, "?", {std::move(condition)}};
    whole.parts.push_back(expression());
    expect(":");
    whole.parts.push_back(expression());
    return whole;
  }

  void expectEnd() {
    if (!atEnd()) fail("here should be an end");
  }

 private:
  struct Nested {
    explicit Nested(Reader& reader) : reader_(reader) {
      if (++reader_.depth_ > kDeepestNesting) reader_.fail("it is nested too deep");
    }
    ~Nested() { --reader_.depth_; }
    Nested(const Nested&) = delete;
    Nested& operator=(const Nested&) = delete;
    Reader& reader_;
  };

  [[noreturn]] void fail(const std::string& what) const {
    const std::string at = atEnd() ? "at its end" : "at \"" + visibleText(token_.text.substr(0, 40)) + "\"";
    throw Error(ErrorKind::BadFile, fmt::format("{}:{}: {} {}", file_, token_.line, what, at),
                "The pack's maker has to mend that; a core card can describe the chip instead.");
  }

  void skipSpace() {
    while (at_ < text_.size()) {
      if (text_.substr(at_).starts_with("//")) {
        at_ = std::min(text_.find('\n', at_), text_.size());
      } else if (text_.substr(at_).starts_with("/*")) {
        const std::size_t end = std::min(text_.find("*/", at_ + 2), text_.size());
        count(at_, end);
        at_ = std::min(end + 2, text_.size());
      } else if (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\r' || text_[at_] == '\n') {
        count(at_, at_ + 1);
        ++at_;
      } else {
        return;
      }
    }
  }
  void count(std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) line_ += text_[i] == '\n' ? 1 : 0;
  }

  void next() {
    skipSpace();
    token_ = {Token::Kind::End, text_.substr(std::min(at_, text_.size()), 0), 0, line_};
    if (at_ >= text_.size()) return;
    const std::size_t begin = at_;
    const char c = text_[at_];
    if (isDigit(c)) return number();
    if (isLetter(c)) {
      while (at_ < text_.size() && (isLetter(text_[at_]) || isDigit(text_[at_]))) ++at_;
      token_.kind = Token::Kind::Word;
      token_.text = text_.substr(begin, at_ - begin);
      return;
    }
    if (c == '"') {
      const std::size_t end = text_.find('"', at_ + 1);
      token_.text = text_.substr(begin);
      if (end == std::string_view::npos) fail("a text without an end");
      token_.kind = Token::Kind::Text;
      token_.text = text_.substr(begin + 1, end - begin - 1);
      count(begin, end);
      at_ = end + 1;
      return;
    }
    for (const std::string_view sign : kSigns) {
      if (!text_.substr(at_).starts_with(sign)) continue;
      at_ += sign.size();
      token_.kind = Token::Kind::Sign;
      token_.text = sign;
      return;
    }
    token_.kind = Token::Kind::Sign;
    token_.text = text_.substr(at_, 1);
    fail("what is no part of the language");
  }

  void number() {
    const std::size_t begin = at_;
    while (at_ < text_.size() && (isLetter(text_[at_]) || isDigit(text_[at_]))) ++at_;
    token_.kind = Token::Kind::Number;
    token_.text = text_.substr(begin, at_ - begin);
    std::string_view digits = token_.text;
    int base = 10;
    if (digits.starts_with("0x") || digits.starts_with("0X")) {
      base = 16;
      digits.remove_prefix(2);
    } else if (digits.starts_with("0b") || digits.starts_with("0B")) {
      base = 2;
      digits.remove_prefix(2);
    }
    const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), token_.number, base);
    if (error != std::errc() || digits.empty()) fail("no number of 64 bits");
    // As in C, letters behind it say how large it is.
    for (const char* c = end; c != digits.data() + digits.size(); ++c) {
      if (*c != 'u' && *c != 'U' && *c != 'l' && *c != 'L') fail("no number");
    }
  }

  bool is(std::string_view sign) const { return token_.kind == Token::Kind::Sign && token_.text == sign; }
  bool takes(std::string_view sign) {
    if (!is(sign)) return false;
    next();
    return true;
  }
  void expect(std::string_view sign) {
    if (!takes(sign)) fail(fmt::format("here should be \"{}\",", sign));
  }

  Statement statement() {
    Statement all;
    all.line = token_.line;
    if (token_.kind == Token::Kind::Word && token_.text == "__var") {
      next();
      if (token_.kind != Token::Kind::Word) fail("here should be the name of a variable,");
      all.kind = Statement::Kind::Declare;
      all.variable = token_.text;
      next();
      if (takes("=")) all.value = expression();
    } else {
      all.value = expression();
      if (is("=")) {
        if (all.value.kind != Expression::Kind::Variable) fail("only a variable can be set,");
        next();
        all.kind = Statement::Kind::Assign;
        all.variable = all.value.name;
        all.value = expression();
      }
    }
    if (!atEnd()) expect(";");
    return all;
  }

  Expression binary(std::size_t level) {
    if (level == kLevelCount) return unary();
    Expression left = binary(level + 1);
    while (true) {
      std::string_view sign;
      for (const std::string_view each : kLevels[level]) {
        if (!each.empty() && is(each)) sign = each;
      }
      if (sign.empty()) return left;
      next();
      Expression whole{Expression::Kind::Binary, 0, std::string(sign), {}};
      whole.parts.push_back(std::move(left));
      whole.parts.push_back(binary(level + 1));
      left = std::move(whole);
      if (++operators_ > kMostOperators) fail("an expression without end");
    }
  }

  Expression unary() {
    const Nested nested(*this);
    for (const std::string_view sign : {"-", "+", "~", "!"}) {
      if (!takes(sign)) continue;
      Expression whole{Expression::Kind::Unary, 0, std::string(sign), {}};
      whole.parts.push_back(unary());
      return whole;
    }
    return primary();
  }

  Expression primary() {
    const Token token = token_;
    if (takes("(")) {
      Expression inside = expression();
      expect(")");
      return inside;
    }
    if (token.kind == Token::Kind::Number) {
      next();
      return {Expression::Kind::Number, token.number, std::string(token.text), {}};
    }
    if (token.kind == Token::Kind::Text) {
      next();
      return {Expression::Kind::Text, 0, std::string(token.text), {}};
    }
    if (token.kind != Token::Kind::Word) fail("here should be a value,");
    next();
    if (!takes("(")) return {Expression::Kind::Variable, 0, std::string(token.text), {}};
    Expression call{Expression::Kind::Call, 0, std::string(token.text), {}};
    if (takes(")")) return call;
    do {
      call.parts.push_back(expression());
    } while (takes(","));
    expect(")");
    return call;
  }

  /// What a chain of operators builds is as deep as it is long.
  static constexpr int kMostOperators = 500;

  std::string_view text_;
  std::string file_;
  std::size_t line_, at_ = 0;
  int depth_ = 0, operators_ = 0;
  Token token_;
};

}  // namespace

std::vector<Statement> parseStatements(std::string_view text, const TextPlace& place) {
  return Reader(text, place).statements();
}

Expression parseExpression(std::string_view text, const TextPlace& place) {
  if (text.find_first_not_of(" \t\r\n") == std::string_view::npos) return {Expression::Kind::Number, 1, "1", {}};
  Reader reader(text, place);
  Expression expression = reader.expression();
  reader.expectEnd();
  return expression;
}

std::string textOf(const Expression& e) {
  const auto part = [&](std::size_t i) { return textOf(e.parts[i]); };
  switch (e.kind) {
    case Expression::Kind::Number:
    case Expression::Kind::Variable:
      return e.name;
    case Expression::Kind::Text:
      return '"' + e.name + '"';
    case Expression::Kind::Unary:
      return e.name + part(0);
    case Expression::Kind::Binary: {
      const auto side = [&](std::size_t i) {
        const bool whole =
            e.parts[i].kind != Expression::Kind::Binary && e.parts[i].kind != Expression::Kind::Conditional;
        return whole ? part(i) : "(" + part(i) + ")";
      };
      return fmt::format("{} {} {}", side(0), e.name, side(1));
    }
    case Expression::Kind::Conditional:
      return fmt::format("{} ? {} : {}", part(0), part(1), part(2));
    case Expression::Kind::Call: {
      std::string list;
      for (std::size_t i = 0; i < e.parts.size(); ++i) list += (i == 0 ? "" : ", ") + part(i);
      return fmt::format("{}({})", e.name, list);
    }
  }
  return {};
}

}  // namespace imprimo::packs
