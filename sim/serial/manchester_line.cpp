// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/serial/manchester_line.h"

namespace imprimo::sim {

void sendManchester(ByteSpan bytes, Time bit, LineLevels& out) {
  const auto send = [&](bool one) {
    out.push_back({one, bit / 2});
    out.push_back({!one, bit - bit / 2});
  };
  send(true);
  for (const std::uint8_t byte : bytes) {
    for (unsigned i = 0; i < 8; ++i) send((byte >> i & 1) != 0);
  }
  out.push_back({false, 2 * bit});
}

/// False where two halves are alike.
bool ManchesterReceiver::half(bool high, const Take& take) {
  if (!firstHalf_) {
    firstHalf_ = high;
    return true;
  }
  const bool one = *firstHalf_;
  firstHalf_.reset();
  if (one == high) return false;
  if (bits_++ == 0) return one;  // the start bit
  shift_ |= (one ? 1u : 0u) << ((bits_ - 2) % 8);
  if ((bits_ - 1) % 8 == 0) {
    take(static_cast<std::uint8_t>(shift_));
    shift_ = 0;
  }
  return true;
}

void ManchesterReceiver::endSequence() {
  half_ = 0;
  bits_ = shift_ = 0;
  firstHalf_.reset();
}

bool ManchesterReceiver::feed(const LineLevel& level, const Take& take) {
  bool fits = true;
  if (level.high == level_) {
    time_ += level.time;
  } else {
    if (half_ == 0 && level_) half_ = time_;  // the first half of the start bit
    if (half_ != 0) {
      const Time halves = (time_ + half_ / 2) / half_;
      fits = halves == 1 || halves == 2;
      for (Time i = 0; i < halves && fits; ++i) fits = half(level_, take);
      if (!fits) endSequence();
    }
    level_ = level.high;
    time_ = level.time;
  }
  // Low for longer than a bit: the sequence is over, and what is open is the second half of a 1.
  if (half_ == 0 || level_ || time_ < 3 * half_) return fits;
  const bool whole = !firstHalf_ || half(false, take);
  fits = whole && bits_ % 8 == 1;
  endSequence();
  return fits;
}

}  // namespace imprimo::sim
