// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/mpsse_engine.h"

#include <fmt/format.h>

#include <algorithm>

namespace imprimo::sim {
namespace {

// Bits of a data-shifting opcode.
constexpr std::uint8_t kWriteFalling = 0x01, kBits = 0x02, kReadFalling = 0x04, kLsbFirst = 0x08, kWriteTdi = 0x10,
                       kReadTdo = 0x20, kWriteTms = 0x40;
constexpr std::uint8_t kBadCommand = 0xFA;
constexpr unsigned kTck = 0, kTdi = 1, kTms = 3;

bool isData(std::uint8_t opcode) {
  return (opcode & 0x80) == 0;
}

/// Bytes that a command other than a shift is answered with.
std::size_t answerOf(std::uint8_t opcode) {
  switch (opcode) {
    case 0x81:
    case 0x83:
      return 1;
    case 0x80:
    case 0x82:
    case 0x84:
    case 0x85:
    case 0x86:
    case 0x87:
    case 0x8A:
    case 0x8B:
    case 0x8D:
    case 0x8E:
    case 0x8F:
    case 0x97:
      return 0;
    default:
      return 2;  // "bad command", and which
  }
}

}  // namespace

void MpsseEngine::reset() {
  waiting_.clear();
  done_ = 0;
  output_.clear();
  running_ = {};
  stalled_ = false;
  levels_ = directions_ = 0;
  loopback_ = false;
  divideBy5_ = true;
  divisor_ = 0;
}

Bytes MpsseEngine::output(std::size_t most) {
  Bytes said;
  while (!output_.empty() && said.size() < most) {
    said.push_back(output_.front().byte);
    output_.pop_front();
  }
  work();
  return said;
}

void MpsseEngine::input(ByteSpan bytes) {
  waiting_.insert(waiting_.end(), bytes.begin(), bytes.end());
  work();
}

void MpsseEngine::spoil(std::size_t from, const Bytes& instead) {
  output_.resize(std::min(from, output_.size()));
  for (const std::uint8_t byte : instead) say(byte);
}

void MpsseEngine::work() {
  stalled_ = false;
  while (step()) {
  }
  waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(done_));
  done_ = 0;
}

bool MpsseEngine::room(std::size_t bytes) {
  stalled_ = output_.size() + bytes > wiring_.buffer;
  return !stalled_;
}

/// One command, or a few bytes of a long one. False when it has to wait.
bool MpsseEngine::step() {
  if (running_.left > 0) return stepBytes();
  const ByteSpan rest = ByteSpan(waiting_).subspan(done_);
  const std::size_t length = rest.empty() ? 0 : lengthOf(rest);
  if (length == 0 || length > rest.size()) return false;
  const std::uint8_t opcode = rest[0];
  const bool shifts = isData(opcode) && (opcode & (kWriteTdi | kReadTdo | kWriteTms)) != 0;
  const bool inBytes = shifts && (opcode & (kWriteTms | kBits)) == 0;
  const std::size_t answer = shifts ? ((opcode & kReadTdo) != 0 ? 1 : 0) : answerOf(opcode);
  if (!inBytes && !room(answer)) return false;
  done_ += length;
  if (!inBytes) {
    execute(rest.first(length));
    return true;
  }
  checkEdges(opcode);
  running_ = {opcode, std::size_t{loadLe16(&rest[1])} + 1};
  longBytes_ += length;
  return true;
}

bool MpsseEngine::stepBytes() {
  const bool writes = (running_.opcode & kWriteTdi) != 0, reads = (running_.opcode & kReadTdo) != 0;
  std::size_t some = std::min<std::size_t>(8, running_.left);
  if (writes) some = std::min(some, waiting_.size() - done_);
  if (some == 0) return false;
  if (reads) {
    if (!room(1)) return false;
    some = std::min(some, wiring_.buffer - output_.size());
  }
  std::uint64_t out = 0;
  for (std::size_t k = 0; writes && k < some; ++k) out |= static_cast<std::uint64_t>(waiting_[done_ + k]) << (8 * k);
  if (writes) done_ += some;
  const std::uint64_t in = clock(tmsLevel_, out, static_cast<int>(some * 8));
  for (std::size_t k = 0; reads && k < some; ++k) say(static_cast<std::uint8_t>(in >> (8 * k)));
  running_.left -= some;
  longClocks_ += some * 8;
  if (writes) longBytes_ += some;
  return true;
}

std::size_t MpsseEngine::lengthOf(ByteSpan bytes) const {
  const std::uint8_t opcode = bytes[0];
  if (isData(opcode)) {
    if ((opcode & (kWriteTdi | kReadTdo | kWriteTms)) == 0) return 1;  // a bad command
    if ((opcode & kWriteTms) != 0) return 3;
    const bool writes = (opcode & kWriteTdi) != 0;
    if ((opcode & kBits) != 0) return writes ? 3 : 2;
    return 3;  // the bytes behind it are taken as they come
  }
  switch (opcode) {
    case 0x80:  // low byte: levels, directions
    case 0x82:  // high byte
    case 0x86:  // divisor
    case 0x8F:  // clocks, times eight
    case 0x9C:
    case 0x9D:
    case 0x9E:
      return 3;
    case 0x8E:  // clocks
      return 2;
    default:
      return 1;
  }
}

void MpsseEngine::execute(ByteSpan c) {
  const std::uint8_t opcode = c[0];
  if (isData(opcode) && c.size() > 1) return data(c);
  switch (opcode) {
    case 0x80:
      return pinsChanged(static_cast<std::uint16_t>((levels_ & 0xFF00) | c[1]),
                         static_cast<std::uint16_t>((directions_ & 0xFF00) | c[2]));
    case 0x82:
      return pinsChanged(static_cast<std::uint16_t>((levels_ & 0x00FF) | c[1] << 8),
                         static_cast<std::uint16_t>((directions_ & 0x00FF) | c[2] << 8));
    case 0x81:
      return say(static_cast<std::uint8_t>(levels_ & directions_));
    case 0x83:
      return say(static_cast<std::uint8_t>((levels_ & directions_) >> 8));
    case 0x84:
    case 0x85:
      loopback_ = opcode == 0x84;
      return;
    case 0x86:
      divisor_ = loadLe16(&c[1]);
      return setRate();
    case 0x87:  // send what there is at once
    case 0x8D:  // two-phase clocking, as JTAG wants it
    case 0x97:  // no adaptive clocking
      return;
    case 0x8A:
    case 0x8B:
      divideBy5_ = opcode == 0x8B;
      return setRate();
    case 0x8E:
      clock(tmsLevel_, 0, (c[1] & 7) + 1);
      return;
    case 0x8F:
      for (std::size_t i = 0; i < (std::size_t{loadLe16(&c[1])} + 1) * 8; i += 8) clock(tmsLevel_, 0, 8);
      return;
    default:
      say(kBadCommand);
      say(opcode);
  }
}

void MpsseEngine::checkEdges(std::uint8_t opcode) {
  const bool writes = (opcode & (kWriteTdi | kWriteTms)) != 0;
  if ((writes && (opcode & kWriteFalling) == 0) || ((opcode & kReadTdo) != 0 && (opcode & kReadFalling) != 0)) {
    board_.violations().add(
        fmt::format("adapter: command 0x{:02x} changes or samples at the edge that JTAG does not use", opcode));
  }
  if ((opcode & kLsbFirst) == 0)
    board_.violations().add(fmt::format("adapter: command 0x{:02x} shifts the wrong end first", opcode));
  const unsigned outputs = 1u << kTck | 1u << kTdi | 1u << kTms;
  if ((directions_ & outputs) != outputs)
    board_.violations().add("adapter: TCK, TDI or TMS is no output while clocks are given");
}

void MpsseEngine::data(ByteSpan c) {
  const std::uint8_t opcode = c[0];
  checkEdges(opcode);
  if ((opcode & kWriteTms) != 0) return tms(opcode, c[2], (c[1] & 7) + 1);
  dataBits(opcode, c.size() > 2 ? c[2] : 0, (c[1] & 7) + 1);
}

void MpsseEngine::dataBits(std::uint8_t opcode, std::uint8_t bits, int count) {
  const std::uint64_t in = clock(tmsLevel_, bits, count);
  // Bits come in from above and are not moved down to the end.
  if ((opcode & kReadTdo) != 0) say(static_cast<std::uint8_t>(in << (8 - count)));
}

void MpsseEngine::tms(std::uint8_t opcode, std::uint8_t bits, int count) {
  std::uint8_t in = 0;
  for (int i = 0; i < count; ++i) {
    tmsLevel_ = (bits >> std::min(i, 6) & 1) != 0;
    in = static_cast<std::uint8_t>(in >> 1 | (clock(tmsLevel_, bits >> 7, 1) & 1) << 7);
  }
  if ((opcode & kReadTdo) != 0) say(in);
}

std::uint64_t MpsseEngine::clock(bool level, std::uint64_t tdi, int count) {
  if (loopback_) return tdi;  // the pins rest
  if (!enabled()) return ~0ull;
  if (wiring_.swd) return swdClock(tdi, count);
  return board_.clock(level, tdi, count);
}

bool MpsseEngine::driven(int pin, bool level) const {
  return (directions_ >> pin & 1) != 0 && ((levels_ >> pin & 1) != 0) == level;
}

std::uint64_t MpsseEngine::swdClock(std::uint64_t tdi, int count) {
  std::uint64_t in = 0;
  for (int i = 0; i < count; ++i) {
    const bool level = (tdi >> i & 1) != 0;
    // A resistor gives way to a target that drives.
    const bool drives =
        wiring_.swdEnablePin >= 0 ? driven(wiring_.swdEnablePin, wiring_.swdEnableLevel) : !board_.swdTargetDrives();
    const bool line = board_.swdClock(drives, level);
    in |= static_cast<std::uint64_t>(line) << i;
  }
  return in;
}

void MpsseEngine::pinsChanged(std::uint16_t levels, std::uint16_t directions) {
  const bool before = wiring_.resetPin >= 0 && driven(wiring_.resetPin, wiring_.resetLevel);
  levels_ = levels;
  directions_ = directions;
  tmsLevel_ = (levels_ >> kTms & 1) != 0;
  const bool now = wiring_.resetPin >= 0 && driven(wiring_.resetPin, wiring_.resetLevel);
  if (now != before) board_.holdReset(now);
  if (before && !now) board_.pulseReset();
}

void MpsseEngine::setRate() {
  const std::uint32_t base = divideBy5_ ? 12'000'000 : 60'000'000;
  board_.setClock(base / ((1 + divisor_) * 2));
}

}  // namespace imprimo::sim
