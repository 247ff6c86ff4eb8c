// SPDX-License-Identifier: GPL-3.0-or-later
#include "line/operator_words.h"

#include <fmt/format.h>

#include "core/jtag/examine.h"

namespace imprimo::line {
namespace {

/// "no more units" becomes "No more units."
std::string asSentence(std::string text) {
  if (text.empty()) return text;
  if (text[0] >= 'a' && text[0] <= 'z') text[0] = static_cast<char>(text[0] - 'a' + 'A');
  if (text.back() != '.') text += '.';
  return text;
}

}  // namespace

std::string operatorSentence(const Error& error, BoardResult::Kind kind) {
  if (kind == BoardResult::Kind::Halted) {
    if (error.kind() == ErrorKind::NoStore) return "The store of numbers cannot be reached. Call the engineer.";
    if (error.kind() == ErrorKind::NoProbe) return "The probe does not answer. Call the engineer.";
    return asSentence(error.what()) + " Call the engineer.";
  }
  switch (error.kind()) {
    case ErrorKind::BrokenChain:
      if (const auto* broken = dynamic_cast<const jtag::BrokenChain*>(&error); broken != nullptr && !broken->dead())
        return "The board answers badly: not pressed down well, or a bad cable.";
      return "The board does not answer: no power, or not pressed down.";
    case ErrorKind::LinkLost:
      return "The connection to the board was lost in the middle.";
    case ErrorKind::ChainMismatch:
      return "This is another board, or it has other parts.";
    case ErrorKind::NoBridge:
      return "The board's main part does not let the memory be reached.";
    case ErrorKind::UnknownFlash:
      return "The memory on the board does not say what it is.";
    case ErrorKind::NotErased:
    case ErrorKind::NotProgrammed:
      return "The memory does not hold what was written into it.";
    case ErrorKind::Stopped:
      return "It was stopped.";
    default:
      break;
  }
  // What is short and names no address is for people; the rest is for the engineer.
  constexpr std::size_t kShort = 90;
  const std::string text = error.what();
  return text.size() <= kShort && text.find("0x") == std::string::npos ? asSentence(text)
                                                                       : "This board cannot be done as it is.";
}

const char* answerOf(BoardResult::Kind kind) {
  switch (kind) {
    case BoardResult::Kind::Good:
      return "Done";
    case BoardResult::Kind::Failed:
      return "Failed";
    case BoardResult::Kind::Stopped:
      return "Stopped";
    case BoardResult::Kind::Halted:
      break;
  }
  return "Halt";
}

}  // namespace imprimo::line
