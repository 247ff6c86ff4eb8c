// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/swd_wire.h"

#include <bit>

namespace imprimo::sim {
namespace {

constexpr unsigned kLineReset = 50;
constexpr std::uint32_t kToSwd = 0xE79E, kToJtag = 0xE73C;  // least significant bit first (B5.2.2)

bool odd(std::uint64_t bits) {
  return std::popcount(bits) % 2 != 0;
}

}  // namespace

void SwdWire::powerLost() {
  state_ = State::Jtag;
  ones_ = 0;
  afterOnes_ = needsId_ = false;
  port_.powerLost();
}

void SwdWire::begin(State state, unsigned bits) {
  state_ = state;
  left_ = bits;
  got_ = 0;
}

/// Line reset and the sixteen bits that switch, whatever else is going on.
void SwdWire::sequences(bool level) {
  if (level) {
    ++ones_;
    if (ones_ >= kLineReset) {
      afterOnes_ = true;
      sequence_ = sequenceBits_ = 0;
      if (state_ != State::Jtag) {
        state_ = State::WasReset;
        needsId_ = true;
      }
      return;
    }
  } else {
    ones_ = 0;
  }
  if (!afterOnes_) return;
  sequence_ |= static_cast<std::uint32_t>(level) << sequenceBits_++;
  if (sequenceBits_ < 16) return;
  afterOnes_ = false;
  if (sequence_ == kToSwd) state_ = State::Silent;  // a line reset has to follow
  if (sequence_ == kToJtag) state_ = State::Jtag;
}

bool SwdWire::clock(bool drives, bool level, Time now) {
  if (!flipIn_) return step(drives, level, now);
  if ((*flipIn_)-- > 0) return step(drives, level, now);
  flipIn_.reset();
  return drives ? (step(true, !level, now), level) : !step(false, level, now);
}

bool SwdWire::step(bool drives, bool level, Time now) {
  const bool targetDrives = state_ == State::Answer || state_ == State::ReadData;
  if (drives && targetDrives) {
    violations_.add("swd: both ends drive the line");
    begin(State::Silent, 0);
  }
  const bool line = drives ? level : true;
  sequences(line && drives);
  switch (state_) {
    case State::Jtag:
    case State::Silent:
      return line;
    case State::WasReset:
      // Ones go on; the first zero is idle.
      if (drives && !level) state_ = State::Idle;
      return line;
    case State::Idle:
      if (drives && level) {
        begin(State::Request, 7);
        shift_ = 1;
        got_ = 1;
      }
      return line;
    case State::Request:
      shift_ |= static_cast<std::uint64_t>(line) << got_++;
      if (--left_ == 0) requestDone(now);
      return line;
    case State::Turn:
      if (--left_ == 0) {
        begin(State::Answer, 3);
        shift_ = static_cast<std::uint64_t>(ack_);
      }
      return line;
    case State::Answer:
    case State::ReadData:
      return show(now);
    case State::TurnBack:
      if (--left_ == 0) {
        begin(after_, after_ == State::WriteData ? 33 : 0);
        shift_ = 0;
      }
      return line;
    case State::WriteData:
      if (!drives) violations_.add("swd: nobody drives the data of a write");
      shift_ |= static_cast<std::uint64_t>(line) << got_++;
      if (--left_ == 0) writeDone(now);
      return line;
  }
  return line;
}

/// The next bit that the target drives.
bool SwdWire::show(Time now) {
  const bool shown = (shift_ >> got_++ & 1) != 0;
  if (--left_ > 0) return shown;
  if (state_ == State::ReadData) {
    after_ = State::Idle;
    begin(State::TurnBack, 1);
  } else if (ack_ == DebugPort::Ack::Ok && read_) {
    std::uint32_t data = 0;
    port_.access(ap_, true, address_, data, now);
    begin(State::ReadData, 33);
    shift_ = data | static_cast<std::uint64_t>(odd(data)) << 32;
  } else {
    after_ = ack_ == DebugPort::Ack::Ok ? State::WriteData : State::Idle;
    begin(State::TurnBack, 1);
  }
  return shown;
}

void SwdWire::requestDone(Time now) {
  const auto bits = static_cast<std::uint32_t>(shift_);
  // Start 1, APnDP, RnW, A2, A3, parity, stop 0, park 1.
  const bool good = odd(bits >> 1 & 15) == ((bits >> 5 & 1) != 0) && (bits >> 6 & 1) == 0 && (bits >> 7 & 1) == 1;
  ap_ = (bits >> 1 & 1) != 0;
  read_ = (bits >> 2 & 1) != 0;
  address_ = (bits >> 3 & 3) * 4;
  if (!good || (needsId_ && (ap_ || !read_ || address_ != 0))) {
    if (good) violations_.add("swd: the first access behind a line reset did not read DPIDR");
    return begin(State::Silent, 0);
  }
  needsId_ = false;
  ack_ = port_.ready(ap_, read_, address_, now);
  begin(State::Turn, 1);
}

void SwdWire::writeDone(Time now) {
  auto data = static_cast<std::uint32_t>(shift_);
  if (odd(data) != ((shift_ >> 32 & 1) != 0)) {
    port_.writeDataError();
  } else {
    port_.access(ap_, false, address_, data, now);
  }
  begin(State::Idle, 0);
}

}  // namespace imprimo::sim
