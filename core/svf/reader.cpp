// SPDX-License-Identifier: GPL-3.0-or-later
//
// Serial Vector Format, revision E. Statements end with a semicolon; case, blanks and line ends do not matter; a
// comment runs from "!" or "//" to the end of its line.
//
//   ENDDR state;  ENDIR state;                       state: IRPAUSE | DRPAUSE | RESET | IDLE
//   FREQUENCY [cycles HZ];
//   HDR | HIR | TDR | TIR length [TDI (hex)] [TDO (hex)] [MASK (hex)] [SMASK (hex)];
//   SDR | SIR length [TDI (hex)] [TDO (hex)] [MASK (hex)] [SMASK (hex)];
//   RUNTEST [state] count TCK | SCK [seconds SEC [MAXIMUM seconds SEC]] [ENDSTATE state];
//   RUNTEST [state] seconds SEC [MAXIMUM seconds SEC] [ENDSTATE state];
//   STATE [state of the way ...] state;              the way: any of the sixteen states, each next to the one before
//   TRST ON | OFF | Z | ABSENT;
//   PIO (letters);  PIOMAP (IN | OUT | INOUT name ...);
//
// TDI, MASK and SMASK are remembered for each of the six fields as long as its length is the same; TDO is not. RUNTEST
// remembers its states; a state without an ENDSTATE is the end state too.
#include "core/svf/reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "core/base/input_file.h"
#include "core/svf/digits.h"

namespace imprimo::svf {
namespace {

using jtag::TapState;

std::string shown(char c) {
  return c >= ' ' && c <= '~' ? fmt::format("'{}'", c) : fmt::format("byte 0x{:02X}", static_cast<std::uint8_t>(c));
}

}  // namespace

Reader::Reader(Source source, std::string fileName, std::size_t longestScan)
    : lexer_(std::move(source), std::move(fileName)), longestScan_(longestScan) {}

std::unique_ptr<Reader> Reader::open(const std::filesystem::path& path) {
  auto file = std::make_shared<InputFile>(path, kVectorFile);
  return std::make_unique<Reader>([file](std::span<std::uint8_t> into) { return file->read(into); },
                                  path.filename().string());
}

void Reader::cut(const Place& begun, const std::string& what) {
  throw lexer_.error(
      lexer_.place(),
      fmt::format("the file ends within {} that begins in line {}, column {}", what, begun.line, begun.column),
      "It may have been cut off; fetch it again.");
}

std::string Reader::optionalWord() {
  lexer_.skip();
  word_ = lexer_.place();
  return lexer_.word();
}

std::string Reader::nextWord(const char* what) {
  std::string word = optionalWord();
  if (!word.empty()) return word;
  if (lexer_.atEnd()) throw lexer_.error(word_, fmt::format("the file ends where {} should be", what));
  throw lexer_.error(word_, fmt::format("{} stands where {} should be", shown(lexer_.peek()), what));
}

std::uint64_t Reader::count(const std::string& text, const Place& at, const char* what) const {
  std::uint64_t value = 0;
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (failure == std::errc() && end == text.data() + text.size()) return value;
  // Some writers have counts as real numbers.
  const double number = real(text, at, what);
  if (number < 0 || number != std::floor(number) || number > 1e15)
    throw lexer_.error(at, fmt::format("{} is {}, which is no whole number", what, text));
  return static_cast<std::uint64_t>(number);
}

double Reader::real(const std::string& text, const Place& at, const char* what) const {
  double value = 0;
  const std::size_t sign = text.starts_with('+') ? 1 : 0;
  const auto [end, failure] = std::from_chars(text.data() + sign, text.data() + text.size(), value);
  if (failure == std::errc() && end == text.data() + text.size() && std::isfinite(value)) return value;
  throw lexer_.error(at, fmt::format("{} is \"{}\", which is no number", what, text));
}

TapState Reader::stableState(const std::string& word, const Place& at) const {
  const auto state = stateNamed(word);
  if (!state) throw lexer_.error(at, fmt::format("there is no state {}", word));
  if (!isStable(*state)) {
    throw lexer_.error(at, fmt::format("{} is not a stable state", word),
                       "The stable ones are IRPAUSE, DRPAUSE, RESET and IDLE.");
  }
  return *state;
}

void Reader::open(const char* what) {
  lexer_.skip();
  if (lexer_.peek() != '(') {
    throw lexer_.error(lexer_.place(),
                       lexer_.atEnd() ? fmt::format("the file ends where ( of {} should be", what)
                                      : fmt::format("{} stands where ( of {} should be", shown(lexer_.peek()), what));
  }
  lexer_.take();
}

void Reader::semicolon(const Statement& s, const std::string& command) {
  lexer_.skip();
  if (lexer_.atEnd()) cut(s.place, command);
  if (lexer_.peek() != ';') {
    const Place here = lexer_.place();
    const char c = lexer_.peek();
    const std::string word = lexer_.word();
    throw lexer_.error(here,
                       fmt::format("{} stands where {} should end with ;", word.empty() ? shown(c) : word, command));
  }
  lexer_.take();
}

bool Reader::next(Statement& s) {
  lexer_.skip();
  if (lexer_.atEnd()) return false;
  s.place = lexer_.place();
  s.path.clear();
  const std::string command = nextWord("a command");
  if (command == "SDR") {
    s.kind = Statement::Kind::Scan;
    scan(s, Field::Sdr);
  } else if (command == "SIR") {
    s.kind = Statement::Kind::Scan;
    scan(s, Field::Sir);
  } else if (command == "RUNTEST") {
    runTest(s);
  } else if (command == "STATE") {
    state(s);
  } else if (command == "ENDDR" || command == "ENDIR") {
    endState(s, command);
  } else if (command == "FREQUENCY") {
    frequency(s);
  } else if (command == "TRST") {
    trst(s);
  } else if (command == "PIO") {
    pio(s);
  } else if (command == "PIOMAP") {
    pioMap(s);
  } else {
    s.kind = Statement::Kind::Padding;
    const auto fields = {Field::Hdr, Field::Hir, Field::Tdr, Field::Tir};
    const auto field = std::find_if(fields.begin(), fields.end(), [&](Field f) { return command == nameOf(f); });
    if (field == fields.end()) {
      throw lexer_.error(s.place, fmt::format("{} is no command of SVF", command),
                         s.place.offset == 0 ? "This may be a file of another kind." : "");
    }
    scan(s, *field);
  }
  semicolon(s, command);
  s.end = lexer_.place().offset;
  return true;
}

void Reader::scan(Statement& s, Field field) {
  s.field = field;
  FieldValue& value = values_[static_cast<std::size_t>(field)];
  const std::string name = nameOf(field);
  const std::string text = nextWord("a length in bits");
  const std::uint64_t length = count(text, word_, "the length");
  if (length > longestScan_) {
    throw lexer_.error(word_,
                       fmt::format("{} {} is longer than the {} bits that are taken here", name, length, longestScan_));
  }
  if (s.kind == Statement::Kind::Scan && length == 0)
    throw lexer_.error(word_, fmt::format("{} 0 shifts nothing", name), "A scan has at least one bit.");
  if (length != value.length || !given_[static_cast<std::size_t>(field)]) {
    value.tdi = value.mask = value.smask = {};
    given_[static_cast<std::size_t>(field)] = false;
  }
  value.length = length;
  value.tdo.reset();
  readField(value, field);
  bool& given = given_[static_cast<std::size_t>(field)];
  given = given || value.tdiHere;
  if (!given && length > 0) {
    throw lexer_.error(s.place,
                       s.kind == Statement::Kind::Padding
                           ? fmt::format("{} {} has no TDI, and none of this length stands before it", name, length)
                           : fmt::format("{} has no TDI, and there is none of {} bits to take over", name, length),
                       "TDI has to stand in the first one and in each with a new length.");
  }
  if (value.tdi.size() != length) value.tdi = BitVector(length);
}

void Reader::readField(FieldValue& value, Field field) {
  value.tdiHere = false;
  for (unsigned seen = 0;;) {
    const std::string what = optionalWord();
    if (what.empty()) return;
    const Place at = word_;
    constexpr std::array<const char*, 4> kWhat{"TDI", "TDO", "MASK", "SMASK"};
    const auto found = std::find(kWhat.begin(), kWhat.end(), what);
    if (found == kWhat.end()) {
      throw lexer_.error(at, fmt::format("{} stands where TDI, TDO, MASK, SMASK or ; should be", what));
    }
    const unsigned bit = 1u << (found - kWhat.begin());
    if ((seen & bit) != 0) throw lexer_.error(at, fmt::format("{} stands twice in one statement", what));
    seen |= bit;
    BitVector taken = bits(value.length, fmt::format("{} of {}", what, nameOf(field)));
    if (what == "TDI") {
      value.tdi = std::move(taken);
      value.tdiHere = true;
    } else if (what == "TDO") {
      value.tdo = std::move(taken);
    } else {
      (what == "MASK" ? value.mask : value.smask) = std::move(taken);
    }
  }
}

BitVector Reader::bits(std::size_t length, const std::string& what) {
  open(what.c_str());
  const Place begun = lexer_.place();
  DigitCollector digits(length);
  lexer_.digits([&](std::string_view text) { return digits.add(text); });
  const auto tooLarge = [&] {
    return lexer_.error(begun, fmt::format("the value of {} needs more than {}", what,
                                           length == 1 ? "1 bit" : fmt::format("{} bits", length)));
  };
  if (digits.tooLarge()) throw tooLarge();
  if (lexer_.atEnd()) cut(begun, what);
  if (lexer_.peek() != ')') {
    throw lexer_.error(lexer_.place(),
                       fmt::format("{} is neither a digit nor the ) that {} lacks", shown(lexer_.peek()), what));
  }
  if (digits.digits() == 0 && length > 0) throw lexer_.error(begun, fmt::format("{} has no digits", what));
  if (digits.digits() == 0) lexer_.remark(begun, fmt::format("{} is empty, and its length is 0", what));
  lexer_.take();
  BitVector value = digits.finish();
  if (digits.tooLarge()) throw tooLarge();
  return value;
}

}  // namespace imprimo::svf
