// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/core/swd_wire.h"

#include <bit>
#include <utility>

namespace imprimo::sim {
namespace {

constexpr unsigned kLineReset = 50;
constexpr std::uint32_t kToSwd = 0xE79E, kToJtag = 0xE73C, kToDormant = 0xE3BC;  // least significant bit first (B5.2.2)

bool odd(std::uint64_t bits) {
  return std::popcount(bits) % 2 != 0;
}

}  // namespace

SwdWire::SwdWire(DebugPort& port, Violations& violations) : port_(port), violations_(violations) {
  if (port_.model().dormant) state_ = State::Dormant;
  chosen_ = !port_.model().shared;
}

void SwdWire::powerLost() {
  state_ = port_.model().dormant ? State::Dormant : State::Jtag;
  chosen_ = !port_.model().shared;
  choosing_ = false;
  sinceAlert_ = -1;
  ones_ = 0;
  afterOnes_ = needsId_ = false;
  port_.powerLost();
}

void SwdWire::begin(State state, unsigned bits) {
  state_ = state;
  left_ = bits;
  got_ = 0;
}

/// The selection alert, four zeros and the eight bits that say which protocol (B5.3.4).
void SwdWire::waken(bool level) {
  constexpr std::uint64_t kAlertLow = 0x86852D956209F392, kAlertHigh = 0x19BC0EA2E3DDAFE9;
  constexpr int kZeros = 4, kCodeBits = 8;
  constexpr unsigned kSwdCode = 0x1A;
  if (sinceAlert_ >= 0) {
    ++sinceAlert_;
    if (sinceAlert_ > kZeros) code_ |= static_cast<unsigned>(level) << (sinceAlert_ - kZeros - 1);
    if (sinceAlert_ < kZeros + kCodeBits) return;
    sinceAlert_ = -1;
    if (code_ == kSwdCode) state_ = State::Silent;  // a line reset has to follow
    return;
  }
  alertLow_ = alertLow_ >> 1 | alertHigh_ << 63;
  alertHigh_ = alertHigh_ >> 1 | static_cast<std::uint64_t>(level) << 63;
  if (alertLow_ != kAlertLow || alertHigh_ != kAlertHigh) return;
  sinceAlert_ = 0;
  code_ = 0;
}

/// Line reset and the sixteen bits that switch, whatever else is going on.
void SwdWire::sequences(bool level) {
  if (state_ == State::Dormant) return waken(level);
  if (level) {
    ++ones_;
    if (ones_ >= kLineReset) {
      afterOnes_ = true;
      sequence_ = sequenceBits_ = 0;
      if (state_ != State::Jtag) {
        state_ = State::WasReset;
        needsId_ = true;
        chosen_ = !port_.model().shared;
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
  if (sequence_ == kToDormant) state_ = State::Dormant;
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
    case State::Dormant:
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
  } else if (ack_ != DebugPort::Ack::Ok && port_.detectsOverrun()) {
    // The data phase comes all the same, and says nothing (B4.2.4).
    port_.overrun();
    ignores_ = true;
    after_ = State::WriteData;
    shift_ = 0;
    begin(read_ ? State::ReadData : State::TurnBack, read_ ? 33 : 1);
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
  if (good && needsId_ && port_.version() >= 2 && !ap_ && !read_ && address_ == 0xC) {
    // TARGETSEL: nobody answers, and whoever is not meant stays silent.
    choosing_ = true;
    begin(State::TurnBack, 5);
    after_ = State::WriteData;
    return;
  }
  if (!chosen_ || port_.silent()) return begin(State::Silent, 0);
  if (!good || (needsId_ && (ap_ || !read_ || address_ != 0))) {
    if (good) violations_.add("swd: the first access behind a line reset did not read DPIDR");
    return begin(State::Silent, 0);
  }
  needsId_ = ignores_ = false;
  ack_ = port_.ready(ap_, read_, address_, now);
  begin(State::Turn, 1);
}

void SwdWire::writeDone(Time now) {
  auto data = static_cast<std::uint32_t>(shift_);
  if (choosing_) return targetChosen();
  if (std::exchange(ignores_, false)) return begin(State::Idle, 0);
  if (odd(data) != ((shift_ >> 32 & 1) != 0)) {
    port_.writeDataError();
  } else {
    port_.access(ap_, false, address_, data, now);
  }
  begin(State::Idle, 0);
}

/// Who is meant by its part and maker, and among equal ones by its instance (TARGETSEL, B2.2.12).
void SwdWire::targetChosen() {
  choosing_ = false;
  const auto value = static_cast<std::uint32_t>(shift_);
  const bool sound = odd(value) == ((shift_ >> 32 & 1) != 0);
  const std::uint32_t own = (port_.model().targetId & 0x0FFFFFFF) | port_.model().instance << 28;
  chosen_ = sound && value == own;
  begin(chosen_ ? State::Idle : State::Silent, 0);
}

}  // namespace imprimo::sim
