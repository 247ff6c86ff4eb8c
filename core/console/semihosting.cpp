// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/semihosting.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "core/base/error.h"

namespace imprimo::console {
namespace {

enum Operation : std::uint32_t {
  kOpen = 0x01,
  kWriteC = 0x03,
  kWrite0 = 0x04,
  kWrite = 0x05,
  kIsTty = 0x09,
  kClock = 0x10,
  kExit = 0x18,
  kExitExtended = 0x20,
};

constexpr std::uint32_t kApplicationExit = 0x20026;  // ADP_Stopped_ApplicationExit
constexpr std::uint32_t kFailed = 0xFFFFFFFF;
/// A text without end, and a piece of data that is longer than any RAM, are cut.
constexpr std::size_t kLongest = 65536, kTextPiece = 64;

template <std::size_t n>
std::array<std::uint32_t, n> words(TargetMemory& memory, std::uint32_t at) {
  std::array<std::uint8_t, 4 * n> bytes{};
  memory.read(at, bytes);
  std::array<std::uint32_t, n> all{};
  for (std::size_t i = 0; i < n; ++i) all[i] = loadLe32(bytes.data() + 4 * i);
  return all;
}

Bytes textAt(TargetMemory& memory, std::uint32_t at) {
  Bytes text;
  while (text.size() < kLongest) {
    std::array<std::uint8_t, kTextPiece> piece{};
    // Up to the next multiple, so that nothing is read that a text does not reach.
    const std::size_t count = kTextPiece - (at + text.size()) % kTextPiece;
    memory.read(static_cast<std::uint32_t>(at + text.size()), std::span(piece).first(count));
    const auto end = std::find(piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(count), std::uint8_t{0});
    text.insert(text.end(), piece.begin(), end);
    if (end != piece.begin() + static_cast<std::ptrdiff_t>(count)) break;
  }
  return text;
}

Bytes dataAt(TargetMemory& memory, std::uint32_t at, std::size_t count) {
  Bytes data(std::min(count, kLongest));
  memory.read(at, data);
  return data;
}

}  // namespace

Semihosting::Answer Semihosting::answer(const HostCall& call, TargetMemory& memory, std::chrono::nanoseconds now) {
  Answer answer;
  answer.heard.channel = "semihosting";
  switch (call.operation) {
    case kWriteC:
      answer.heard.bytes = dataAt(memory, call.parameter, 1);
      break;
    case kWrite0:
      answer.heard.bytes = textAt(memory, call.parameter);
      break;
    case kWrite: {
      const auto [handle, at, count] = words<3>(memory, call.parameter);
      answer.heard.bytes = dataAt(memory, at, count);
      answer.result = count - static_cast<std::uint32_t>(answer.heard.bytes.size());
      break;
    }
    case kClock:
      answer.result =
          static_cast<std::uint32_t>(std::chrono::duration_cast<std::chrono::milliseconds>(now).count() / 10);
      break;
    case kExit:
      answer.heard.exit = call.parameter == kApplicationExit ? 0 : 1;
      answer.goesOn = false;
      break;
    case kExitExtended: {
      const auto [reason, code] = words<2>(memory, call.parameter);
      answer.heard.exit = reason == kApplicationExit ? code : 1;
      answer.goesOn = false;
      break;
    }
    case kOpen: {
      // The console itself, which libraries open before they print.
      const auto [at, mode, length] = words<3>(memory, call.parameter);
      const Bytes name = dataAt(memory, at, std::min<std::uint32_t>(length, 256));
      if (std::string_view(reinterpret_cast<const char*>(name.data()), name.size()) == ":tt" && mode >= 4) {
        answer.result = 1;
        break;
      }
      answer.result = kFailed;
      answer.heard.note = fmt::format("the target asked to open the file \"{}\", which is refused",
                                      std::string(name.begin(), name.end()));
      break;
    }
    case kIsTty:
      answer.result = 1;
      break;
    default:
      answer.result = kFailed;
      answer.heard.note =
          fmt::format("the target asked for semihosting operation 0x{:02x}, which is refused", call.operation);
  }
  return answer;
}

}  // namespace imprimo::console
