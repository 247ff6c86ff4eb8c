// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pins/flash_pins.h"

namespace imprimo::sim {

void FlashPins::select(Time now) {
  flash_.select(now);
  phase_ = {};
  idle_ = 0;
  bits_ = 0;
  out_ = flash_.output(now);
}

void FlashPins::see(const Levels& levels, Time now) {
  const Levels before = last_;
  last_ = levels;
  if (wires_.wp) flash_.setProtectPin(levels.data[2] || flash_.fourLines());
  if (!known_) {
    known_ = true;
    if (!levels.cs) select(now);
    return;
  }
  const bool clocks = before.clk != levels.clk;
  if (before.cs != levels.cs) {
    if (clocks) violations_.add(flash_.model().name + ": cs and clk move together");
    if (!levels.cs) return select(now);
    // The last bit was taken with the clock's rise; whether that has fallen since does not matter.
    if (bits_ == 8) flash_.input(in_);
    flash_.deselect(now, bits_ % 8);
    return;
  }
  if (levels.cs || isHeld() || !clocks) return;
  if (levels.clk) {
    rise(before);
  } else {
    fall(now);
  }
}

void FlashPins::rise(const Levels& before) {
  if (idle_ > 0) {
    --idle_;
    return;
  }
  // Its own lines move by themselves; the first one is everybody else's while one line is used.
  for (std::size_t i = 0; i < phase_.lines; ++i) {
    if ((!phase_.answers || (phase_.lines == 1 && i == 0)) && before.data[i] != last_.data[i])
      violations_.add(flash_.model().name + ": mosi moves with the rising clk");
  }
  for (std::size_t i = phase_.lines; i-- > 0;) in_ = static_cast<std::uint8_t>(in_ << 1 | (last_.data[i] ? 1 : 0));
  bits_ += static_cast<int>(phase_.lines);
}

void FlashPins::fall(Time now) {
  if (bits_ < 8) return;
  flash_.input(in_);
  bits_ = 0;
  const bool answered = phase_.answers;
  phase_ = flash_.phase();
  if (phase_.answers && !answered) idle_ = phase_.idle;
  out_ = flash_.output(now);
}

std::optional<bool> FlashPins::drives(std::size_t line) const {
  if (!known_ || last_.cs || isHeld() || !phase_.answers || idle_ > 0) return std::nullopt;
  if (phase_.lines == 1 ? line != 1 : line >= phase_.lines) return std::nullopt;
  // The bit changes with the falling clock; the one that was taken last is there until then.
  const int clock = static_cast<int>(phase_.lines);
  const int taken = bits_ - (last_.clk && bits_ > 0 ? clock : 0);
  const int bit = 8 - clock - taken + (clock == 1 ? 0 : static_cast<int>(line));
  return (out_ >> bit & 1) != 0;
}

void FlashPins::powerLost() {
  known_ = false;
  bits_ = 0;
  idle_ = 0;
  phase_ = {};
}

}  // namespace imprimo::sim
