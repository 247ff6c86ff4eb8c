// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>

#include "core/base/bytes.h"
#include "sim/serial/line_level.h"

namespace imprimo::sim {

/// One sequence: a start bit that is 1, bytes with the lowest bit first, then low for two bits. A 1 is high in its
/// first half and low in its second, a 0 the other way round; the idle line is low.
void sendManchester(ByteSpan bytes, Time bit, LineLevels& out);

/// Takes the length of a bit from the start bit of each sequence.
class ManchesterReceiver {
 public:
  using Take = std::function<void(std::uint8_t byte)>;
  /// `take` for each byte; returns false where what came is no sequence.
  bool feed(const LineLevel& level, const Take& take);
  void restart() { *this = {}; }

 private:
  bool half(bool high, const Take& take);
  void endSequence();

  bool level_ = false;
  Time time_ = 0;                  // that the level has lasted
  Time half_ = 0;                  // half of a bit; 0: no sequence has begun
  std::optional<bool> firstHalf_;  // of the bit that has begun
  unsigned bits_ = 0, shift_ = 0;  // bits_: with the start bit
};

}  // namespace imprimo::sim
