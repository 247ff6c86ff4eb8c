// SPDX-License-Identifier: GPL-3.0-or-later
//
// Flows of IEEE 1532:
//
//   ISC_FLOW   flow { "," flow }
//   flow       name [ "(" data ")" ] [ "EXIT_ON_ERROR" ] [ "INITIALIZE" elements ] { "REPEAT" number elements }
//              [ "TERMINATE" elements ]
//   elements   { activity | "LOOP" times ( activities | "(" activities ")" ) }
//   times      [ "MAX" ] number | "MIN" number [ "MAX" number ] | "MAX" number "MIN" number
//   activity   "(" instruction [ field { "," field } ] [ "WAIT" wait { "," wait } ] [ field { "," field } ] ")"
//   field      length ":" [ value [ "*" value ] ] { ":" ( "CRC" | "OST" ) }
//   value      "?" | "!" | digits | "$" name [ "=" ( digits | "?" | "$" name ) | operator operand ] | "~" "$" name
//   operator   "+" | "-" | "<<" | ">>" | "&" | "|"
//   wait       port number | seconds [ ":" seconds ]
//
// Fields in front of WAIT go in, those behind it come out. Without WAIT they go in, unless one of them can only come
// out (a mask, "!", CRC, OST). Only in front of CRC and OST may the value be missing: nothing is expected then.
#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "core/bsdl/isc_reader.h"

namespace imprimo::bsdl {
namespace {

// No device shifts more in one scan; a larger figure is a slip and would only make us ask for memory.
constexpr std::uint32_t kMostFieldBits = 1u << 30;
constexpr std::uint32_t kMostRepeats = 1u << 24;
constexpr double kMostWaitSeconds = 3600;
// A loop that says only how often at least is given up after so many more.
constexpr std::uint32_t kRoundsBeyondLeast = 65536;

class FlowReader {
 public:
  FlowReader(Reading& reading, const RawAttribute& attribute)
      : reading_(reading), in_(attribute.joined.cursor(reading.source)) {}

  std::vector<IscFlow> read() {
    std::vector<IscFlow> flows;
    while (!in_.atEnd()) {
      const std::size_t at = in_.peek().offset;
      IscFlow flow = takeFlow();
      const bool twice = std::any_of(flows.begin(), flows.end(), [&](const IscFlow& f) {
        return sameWord(f.name.name, flow.name.name) && sameWord(f.name.data, flow.name.data);
      });
      if (twice) in_.failAt(at, fmt::format("there are two flows {}", flow.name.text()));
      flows.push_back(std::move(flow));
      if (!in_.another()) break;
    }
    return flows;
  }

 private:
  bool atBlock() const { return in_.isWord("INITIALIZE") || in_.isWord("REPEAT") || in_.isWord("TERMINATE"); }

  IscFlow takeFlow() {
    IscFlow flow;
    flow.name = takeIscName(in_, "a flow's name");
    for (;;) {
      if (in_.takeWord("EXIT_ON_ERROR")) {
        flow.exitOnError = true;
      } else if (!in_.takeWord("UNPROCESSED")) {
        break;
      }
    }
    if (!atBlock()) in_.expected("INITIALIZE, REPEAT or TERMINATE");
    if (in_.takeWord("INITIALIZE")) flow.blocks.push_back(takeBlock(1));
    while (in_.takeWord("REPEAT")) {
      const std::uint32_t times = in_.needInteger("how often");
      if (times > kMostRepeats) in_.expected(fmt::format("at most {} times", kMostRepeats));
      flow.blocks.push_back(takeBlock(times));
    }
    if (in_.takeWord("TERMINATE")) flow.last.push_back(takeBlock(1));
    if (atBlock()) in_.expected("INITIALIZE before REPEAT before TERMINATE, each in that order, so ','");
    return flow;
  }

  IscBlock takeBlock(std::uint32_t times) {
    IscBlock block{times, {}};
    while (in_.isSymbol('(') || in_.isWord("LOOP")) {
      if (!in_.takeWord("LOOP")) {
        if (block.elements.empty() || block.elements.back().tries != 0) block.elements.emplace_back();
        block.elements.back().activities.push_back(takeActivity());
        continue;
      }
      block.elements.push_back(takeLoop());
    }
    if (block.elements.empty()) in_.expected("'(' with an instruction");
    return block;
  }

  IscElement takeLoop() {
    IscElement loop;
    std::optional<std::uint32_t> least, most;
    const std::size_t countAt = in_.peek().offset;
    const auto count = [&](std::optional<std::uint32_t>& into, const char* what) {
      if (into) in_.failAt(countAt, "MIN and MAX stand once each in a loop");
      into = in_.needInteger(what);
      if (*into == 0 || *into > kMostRepeats) in_.expected("a number of tries that is not 0, so an activity");
    };
    while (in_.isWord("MIN") || in_.isWord("MAX")) {
      const bool min = in_.takeWord("MIN");
      if (!min) in_.takeWord("MAX");
      count(min ? least : most, min ? "how often at least" : "how often at most");
    }
    if (!least && !most) count(most, "how often at most");
    if (least && most && *least > *most) in_.failAt(countAt, fmt::format("MIN {} is more than MAX {}", *least, *most));
    loop.least = least.value_or(1);
    loop.tries = most.value_or(std::min(loop.least + kRoundsBeyondLeast, kMostRepeats));
    const bool bracketed = in_.isSymbol('(') && in_.peek(1).text == "(";
    if (bracketed) in_.takeSymbol('(');
    const std::size_t at = in_.peek().offset;
    do {
      loop.activities.push_back(takeActivity());
    } while (in_.isSymbol('('));
    if (bracketed) in_.needSymbol(')');
    const bool compares = std::any_of(loop.activities.begin(), loop.activities.end(), [](const IscActivity& a) {
      return std::any_of(a.captures.begin(), a.captures.end(),
                         [](const IscField& f) { return f.value.kind != IscValue::Kind::Output && !f.anything; });
    });
    if (!compares && !least) in_.failAt(at, "this loop compares nothing, so nothing would end it early");
    if (!compares) loop.tries = loop.least;
    return loop;
  }

  IscActivity takeActivity() {
    IscActivity a;
    in_.needSymbol('(');
    const std::size_t at = in_.peek().offset;
    const std::string name = in_.needName("an instruction");
    const Instruction* known = reading_.device.instruction(name);
    // All ones select BYPASS whether a list has it or not (IEEE 1149.1, 8.4).
    const bool bypass = known == nullptr && sameWord(name, "BYPASS");
    if (known == nullptr && !bypass) in_.failAt(at, fmt::format("{} has no opcode in INSTRUCTION_OPCODE", name));
    a.instruction = bypass ? "BYPASS" : known->name;
    if (!in_.isSymbol(')') && !in_.isWord("WAIT")) takeFields(a.updates);
    if (in_.takeWord("WAIT")) {
      takeWaits(a);
      if (!in_.isSymbol(')')) takeFields(a.captures);
    }
    in_.needSymbol(')');
    const auto comesOut = [](const IscField& f) {
      return f.mask || f.crc || f.output || f.value.kind == IscValue::Kind::Output;
    };
    if (std::any_of(a.updates.begin(), a.updates.end(), comesOut)) {
      if (!a.captures.empty()) in_.failAt(at, "a mask, '!', CRC and OST follow WAIT, where bits come out");
      a.captures = std::exchange(a.updates, {});
    }
    checkLength(a, a.updates, at);
    checkLength(a, a.captures, at);
    return a;
  }

  /// REGISTER_ACCESS says how long the register of an instruction is, where it does.
  void checkLength(const IscActivity& a, const std::vector<IscField>& fields, std::size_t at) {
    if (fields.empty()) return;
    std::uint64_t bits = 0;
    for (const IscField& f : fields) bits += f.length;
    for (const RegisterAccess& access : reading_.device.registers) {
      const bool uses = std::any_of(access.uses.begin(), access.uses.end(), [&](const RegisterAccess::Use& u) {
        return sameWord(u.instruction, a.instruction);
      });
      if (!uses || !access.length || *access.length == bits) continue;
      in_.failAt(at, fmt::format("{} has {} bits here, its register {} has {}", a.instruction, bits, access.name,
                                 *access.length));
    }
  }

  void takeFields(std::vector<IscField>& fields) {
    do {
      fields.push_back(takeField());
    } while (in_.takeSymbol(','));
  }

  IscField takeField() {
    IscField field;
    field.length = in_.needInteger("a number of bits");
    if (field.length == 0 || field.length > kMostFieldBits)
      in_.expected(fmt::format("a field of 1 to {} bits, so another length in front of this", kMostFieldBits));
    in_.needSymbol(':');
    if (in_.isSymbol(':')) {
      field.anything = true;
    } else {
      field.value = takeValue(field.length);
      if (in_.takeSymbol('*')) field.mask = takeValue(field.length);
    }
    while (in_.takeSymbol(':')) {
      if (in_.takeWord("CRC")) {
        field.crc = true;
      } else if (in_.takeWord("OST")) {
        field.output = true;
      } else {
        in_.expected("CRC or OST");
      }
    }
    if (field.value.kind == IscValue::Kind::Output) field.output = true;
    if (field.anything && !field.crc && !field.output) in_.expected("CRC or OST, since no value is expected,");
    return field;
  }

  BitVector takeDigits(std::uint32_t length) {
    const std::size_t at = in_.peek().offset;
    const std::string digits = in_.needWordOrNumber("hexadecimal digits, '?', '!' or '$'");
    const auto bits = BitVector::fromDigits(digits, length);
    if (!bits) in_.failAt(at, fmt::format("{} is no hexadecimal value of {} bits", digits.substr(0, 40), length));
    return *bits;
  }

  IscValue takeValue(std::uint32_t length) {
    using Kind = IscValue::Kind;
    using Operation = IscValue::Operation;
    IscValue value;
    if (in_.takeSymbol('?')) {
      value.kind = Kind::Input;
      return value;
    }
    if (in_.takeSymbol('!')) {
      value.kind = Kind::Output;
      return value;
    }
    const bool inverted = in_.takeSymbol('~');
    if (!in_.takeSymbol('$')) {
      if (inverted) in_.expected("'$' and a variable");
      value.bits = takeDigits(length);
      return value;
    }
    value.kind = Kind::Variable;
    value.variable = upperCase(in_.needName("a variable's name"));
    if (inverted) value.operation = Operation::Invert;
    const auto twice = [&](char c) { return in_.isSymbol(c) && in_.peek(1).text == std::string_view(&c, 1); };
    if (in_.takeSymbol('=')) {
      value.operation = Operation::Set;
      if (in_.takeSymbol('?')) {
        value.setFromInput = true;
        return value;
      }
    } else if (in_.takeSymbol('+')) {
      value.operation = Operation::Add;
    } else if (in_.takeSymbol('-')) {
      value.operation = Operation::Subtract;
    } else if (in_.takeSymbol('&')) {
      value.operation = Operation::And;
    } else if (in_.takeSymbol('|')) {
      value.operation = Operation::Or;
    } else if (twice('<') || twice('>')) {
      value.operation = in_.isSymbol('<') ? Operation::ShiftLeft : Operation::ShiftRight;
      in_.take();
      in_.take();
    } else {
      return value;
    }
    if (in_.takeSymbol('$')) {
      value.operand = upperCase(in_.needName("a variable's name"));
    } else {
      value.bits = takeDigits(length);
    }
    return value;
  }

  double takeSeconds() {
    const Token token = in_.peek();
    double seconds = -1;
    const auto [end, failure] = std::from_chars(token.text.data(), token.text.data() + token.text.size(), seconds);
    if (token.kind != TokenKind::Number || failure != std::errc{} || end != token.text.data() + token.text.size() ||
        !(seconds >= 0 && seconds <= kMostWaitSeconds))
      in_.expected(fmt::format("a time of at most {} s", kMostWaitSeconds));
    in_.take();
    return seconds;
  }

  void takeWaits(IscActivity& a) {
    for (;;) {
      if (in_.peek().kind == TokenKind::Word) {
        const std::size_t at = in_.peek().offset;
        const std::string port = in_.needName("TCK");
        if (!sameWord(port, "TCK")) in_.failAt(at, fmt::format("clocks at {} cannot be given, only at TCK", port));
        a.clocks = std::max(a.clocks, in_.needInteger("a number of clocks"));
        if (a.clocks > (1u << 30)) in_.failAt(at, "so many clocks are a slip");
      } else {
        a.seconds = std::max(a.seconds, takeSeconds());
        if (in_.takeSymbol(':')) a.seconds = std::max(a.seconds, takeSeconds());
      }
      // A comma leads to another wait, unless what follows is a field.
      if (!in_.isSymbol(',')) return;
      if (in_.peek(2).text == ":" && in_.peek(1).text.find_first_of(".eE") == std::string_view::npos) {
        in_.expected("a field without a comma in front of it");
      }
      in_.takeSymbol(',');
    }
  }

  Reading& reading_;
  Cursor in_;
};

}  // namespace

std::vector<IscFlow> readIscFlows(Reading& reading, const RawAttribute& attribute) {
  return FlowReader(reading, attribute).read();
}

}  // namespace imprimo::bsdl
