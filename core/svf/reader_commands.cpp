// SPDX-License-Identifier: GPL-3.0-or-later
//
// The commands that are not scans; the grammar stands in reader.cpp.
#include <fmt/format.h>

#include "core/svf/reader.h"

namespace imprimo::svf {
namespace {

using jtag::TapState;

constexpr std::size_t kMostPins = 4096, kMostStates = 4096;
constexpr double kLeastHz = 1, kMostHz = 1e12, kMostSeconds = 1e7;
constexpr std::uint64_t kMostClocks = 1'000'000'000'000;

}  // namespace

void Reader::endState(Statement& s, const std::string& command) {
  s.kind = command == "ENDDR" ? Statement::Kind::EndDr : Statement::Kind::EndIr;
  const std::string word = nextWord("a state");
  s.state = stableState(word, word_);
}

void Reader::frequency(Statement& s) {
  s.kind = Statement::Kind::Frequency;
  s.hz.reset();
  const std::string word = optionalWord();
  if (word.empty()) return;
  s.hz = real(word, word_, "the frequency");
  if (*s.hz == 0) {
    lexer_.remark(word_, "FREQUENCY 0 is taken as FREQUENCY without a value: as fast as may be");
    s.hz.reset();
  }
  if (s.hz && (*s.hz < kLeastHz || *s.hz > kMostHz))
    throw lexer_.error(word_, fmt::format("the frequency is {}, and nothing runs TCK like that", word));
  const std::string unit = nextWord("HZ");
  if (unit != "HZ") throw lexer_.error(word_, fmt::format("{} stands where HZ should be", unit));
}

void Reader::runTest(Statement& s) {
  s.kind = Statement::Kind::RunTest;
  RunTest& run = s.runTest;
  run = {};
  bool stateHere = false, endHere = false;
  std::string word = nextWord("a state, a count or a time");
  if (stateNamed(word)) {
    runState_ = stableState(word, word_);
    stateHere = true;
    word = nextWord("a count or a time");
  }
  while (!word.empty()) {
    const Place at = word_;
    if (word == "ENDSTATE") {
      const std::string end = nextWord("a state");
      endOfRun_ = stableState(end, word_);
      endHere = true;
      word = optionalWord();
      if (!word.empty()) throw lexer_.error(word_, fmt::format("{} stands where RUNTEST should end with ;", word));
      break;
    }
    const bool most = word == "MAXIMUM";
    if (most) word = nextWord("a time");
    const Place numberAt = word_;
    const std::string number = word;
    const std::string unit = nextWord("TCK, SCK or SEC");
    if (unit == "SEC") {
      const double seconds = real(number, numberAt, "the time");
      if (seconds < 0 || seconds > kMostSeconds)
        throw lexer_.error(numberAt, fmt::format("{} is no time that anybody waits", number));
      if (most ? !run.seconds || run.maximum : run.seconds.has_value())
        throw lexer_.error(at, most ? "MAXIMUM follows a time, once" : "a time stands once in RUNTEST");
      (most ? run.maximum : run.seconds) = seconds;
    } else if (!most && (unit == "TCK" || unit == "SCK")) {
      if (run.clocks || run.seconds) throw lexer_.error(at, "a count of clocks comes first in RUNTEST, once");
      run.clocks = count(number, numberAt, "the count");
      run.systemClock = unit == "SCK";
      if (*run.clocks > kMostClocks)
        throw lexer_.error(numberAt, fmt::format("{} clocks are more than anybody waits for", number));
    } else {
      throw lexer_.error(word_, fmt::format("{} stands where {} should be", unit, most ? "SEC" : "TCK, SCK or SEC"));
    }
    word = optionalWord();
  }
  if (!run.clocks && !run.seconds) throw lexer_.error(s.place, "RUNTEST has neither a count of clocks nor a time");
  if (run.maximum && *run.maximum < *run.seconds)
    throw lexer_.error(s.place, "the MAXIMUM of RUNTEST is less than its time");
  if (stateHere && !endHere) endOfRun_ = runState_;
  run.run = runState_;
  run.end = endOfRun_;
}

void Reader::state(Statement& s) {
  s.kind = Statement::Kind::State;
  std::string word = nextWord("a state");
  Place last = word_;
  for (; !word.empty(); word = optionalWord()) {
    last = word_;
    const auto state = stateNamed(word);
    if (!state) throw lexer_.error(word_, fmt::format("there is no state {}", word));
    if (!s.path.empty() && jtag::next(s.path.back(), false) != *state && jtag::next(s.path.back(), true) != *state) {
      throw lexer_.error(word_, fmt::format("no clock leads from {} to {}", svfName(s.path.back()), word),
                         "Each state of a path has to be next to the one before it.");
    }
    if (s.path.size() == kMostStates) throw lexer_.error(word_, "the path has too many states");
    s.path.push_back(*state);
  }
  if (!isStable(s.path.back())) {
    throw lexer_.error(last, fmt::format("the path ends in {}, which is not a stable state", svfName(s.path.back())),
                       "The stable ones are IRPAUSE, DRPAUSE, RESET and IDLE.");
  }
}

void Reader::trst(Statement& s) {
  s.kind = Statement::Kind::Trst;
  const std::string word = nextWord("ON, OFF, Z or ABSENT");
  if (word == "ON") {
    s.trst = Trst::On;
  } else if (word == "OFF") {
    s.trst = Trst::Off;
  } else if (word == "Z") {
    s.trst = Trst::Z;
  } else if (word == "ABSENT") {
    s.trst = Trst::Absent;
  } else {
    throw lexer_.error(word_, fmt::format("{} stands where ON, OFF, Z or ABSENT should be", word));
  }
}

void Reader::pio(Statement& s) {
  s.kind = Statement::Kind::Pio;
  s.levels.clear();
  open("PIO");
  const Place begun = lexer_.place();
  for (std::string word = optionalWord(); !word.empty(); word = optionalWord()) {
    const std::size_t wrong = word.find_first_not_of("HLZUDX");
    if (wrong != std::string::npos)
      throw lexer_.error(word_, fmt::format("{} is no level of PIO", word[wrong]), "They are H, L, Z, U, D and X.");
    s.levels += word;
    if (s.levels.size() > kMostPins) throw lexer_.error(word_, "PIO has too many levels");
  }
  if (lexer_.atEnd()) cut(begun, "PIO");
  if (lexer_.peek() != ')') throw lexer_.error(lexer_.place(), "PIO lacks its )");
  if (mapped_ == 0) throw lexer_.error(s.place, "PIO stands before any PIOMAP");
  if (s.levels.size() != mapped_) {
    throw lexer_.error(begun, fmt::format("PIO has {} levels, PIOMAP has {} pins", s.levels.size(), mapped_));
  }
  lexer_.take();
}

void Reader::pioMap(Statement& s) {
  s.kind = Statement::Kind::PioMap;
  s.pins.clear();
  open("PIOMAP");
  const Place begun = lexer_.place();
  for (std::string role = optionalWord(); !role.empty(); role = optionalWord()) {
    if (role != "IN" && role != "OUT" && role != "INOUT")
      throw lexer_.error(word_, fmt::format("{} stands where IN, OUT or INOUT should be", role));
    const PinRole as = role == "IN" ? PinRole::In : role == "OUT" ? PinRole::Out : PinRole::InOut;
    s.pins.emplace_back(as, nextWord("a pin's name"));
    if (s.pins.size() > kMostPins) throw lexer_.error(word_, "PIOMAP has too many pins");
  }
  if (lexer_.atEnd()) cut(begun, "PIOMAP");
  if (lexer_.peek() != ')') throw lexer_.error(lexer_.place(), "PIOMAP lacks its )");
  if (s.pins.empty()) throw lexer_.error(begun, "PIOMAP names no pins");
  mapped_ = s.pins.size();
  lexer_.take();
}

}  // namespace imprimo::svf
