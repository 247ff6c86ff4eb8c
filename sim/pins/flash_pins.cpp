// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pins/flash_pins.h"

namespace imprimo::sim {

void FlashPins::see(const Levels& levels, Time now) {
  const Levels before = last_;
  last_ = levels;
  if (!known_) {
    known_ = true;
    if (!levels.cs) {
      flash_.select(now);
      bits_ = 0;
      out_ = flash_.output(now);
    }
    return;
  }
  const bool clocks = before.clk != levels.clk;
  if (before.cs != levels.cs) {
    if (clocks) violations_.add(flash_.model().name + ": cs and clk move together");
    if (levels.cs) {
      // The last bit was taken with the clock's rise; whether that has fallen since does not matter.
      if (bits_ == 8) flash_.input(in_);
      flash_.deselect(now, bits_ % 8);
    } else {
      flash_.select(now);
      bits_ = 0;
      out_ = flash_.output(now);
    }
    return;
  }
  if (levels.cs || !levels.hold || !clocks) return;
  if (levels.clk) {
    if (before.mosi != levels.mosi) violations_.add(flash_.model().name + ": mosi moves with the rising clk");
    in_ = static_cast<std::uint8_t>(in_ << 1 | (levels.mosi ? 1 : 0));
    ++bits_;
    return;
  }
  if (bits_ < 8) return;
  flash_.input(in_);
  bits_ = 0;
  out_ = flash_.output(now);
}

std::optional<bool> FlashPins::miso() const {
  if (!known_ || last_.cs || !last_.hold) return std::nullopt;
  // The bit changes with the falling clock; the one that was taken last is there until then.
  const int bit = bits_ - (last_.clk && bits_ > 0 ? 1 : 0);
  return (out_ >> (7 - bit) & 1) != 0;
}

void FlashPins::powerLost() {
  known_ = false;
  bits_ = 0;
}

}  // namespace imprimo::sim
