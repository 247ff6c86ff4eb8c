// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>

#include "sim/serial/uart_line.h"

namespace imprimo::sim {

/// A serial interface of a chip of our own making (docs/formats/bench.md): 8N1 at one rate, with room for one
/// byte behind the one that is sent, and for 64 that came.
class ChipUart {
 public:
  static constexpr std::uint32_t kBase = 0x40060000, kSize = 8;

  explicit ChipUart(std::uint32_t baud) : baud_(baud), bit_(fromSeconds(1.0 / baud)) { receiver_.setBit(bit_); }

  std::uint32_t load(std::uint32_t offset, Time now);
  void store(std::uint32_t offset, std::uint32_t value, Time now);
  void reset();

  std::uint32_t baud() const { return baud_; }
  /// What its output was from the last call until `now`.
  LineLevels take(Time now);
  /// What its input was from the last call on.
  void hear(const LineLevels& levels);

 private:
  struct Sent {
    Time at;
    std::uint8_t byte;
  };
  std::uint32_t baud_;
  Time bit_, free_ = 0, taken_ = 0;
  std::deque<Sent> sent_;
  UartReceiver receiver_;
  std::deque<std::uint8_t> received_;
  bool overrun_ = false;
};

}  // namespace imprimo::sim
