// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>

#include "sim/serial/line_level.h"

namespace imprimo::sim {

/// Ten bits: start bit, eight bits with the lowest first, stop bit. The idle line is high.
void sendUart(std::uint8_t byte, Time bit, LineLevels& out);

/// Receives 8N1 at its own rate, whatever that of the sender is: a frame begins with a falling edge, and each bit is
/// what the line is in its middle. A frame without a stop bit is handed on as wrong, and the next one is waited for
/// until the line is high again.
class UartReceiver {
 public:
  using Take = std::function<void(std::uint8_t byte, bool framed)>;

  void setBit(Time bit);
  void feed(const LineLevel& level, const Take& take);

 private:
  Time middle(unsigned bit) const { return bit_ * (2 * bit + 1) / 2; }

  Time bit_ = 1, since_ = 0;  // since the falling edge
  enum class State : std::uint8_t { Idle, Frame, Broken } state_ = State::Idle;
  unsigned next_ = 0;  // bit of the frame
  std::uint8_t byte_ = 0;
};

}  // namespace imprimo::sim
