// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/serial/uart_line.h"

namespace imprimo::sim {

void sendUart(std::uint8_t byte, Time bit, LineLevels& out) {
  const unsigned frame = 1u << 9 | static_cast<unsigned>(byte) << 1;
  constexpr unsigned kBits = 10;
  for (unsigned i = 0; i < kBits; ++i) out.push_back({(frame >> i & 1) != 0, bit});
}

void UartReceiver::setBit(Time bit) {
  bit_ = bit;
  state_ = State::Idle;
}

void UartReceiver::feed(const LineLevel& level, const Take& take) {
  constexpr unsigned kStop = 9;
  Time used = 0;  // of this level
  if (state_ == State::Broken && level.high) state_ = State::Idle;
  if (state_ == State::Idle && !level.high) {
    state_ = State::Frame;
    since_ = 0;
    next_ = 0;
    byte_ = 0;
  }
  while (state_ == State::Frame) {
    const Time at = middle(next_);
    if (at >= since_ + (level.time - used)) break;
    used += at - since_;
    since_ = at;
    if (next_ == 0 && level.high) {
      state_ = State::Idle;  // a spike and no start bit
      return;
    }
    if (next_ > 0 && next_ < kStop && level.high) byte_ = static_cast<std::uint8_t>(byte_ | 1u << (next_ - 1));
    if (next_++ < kStop) continue;
    take(byte_, level.high);
    state_ = level.high ? State::Idle : State::Broken;
    return;
  }
  since_ += level.time - used;
}

}  // namespace imprimo::sim
