// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pins/flash_pins.h"

#include <algorithm>
#include <array>

namespace imprimo::sim {

void FlashPins::see(const Levels& levels, Time now) {
  const Levels before = last_;
  last_ = levels;
  if (!known_) {
    known_ = true;
    if (!levels.cs) {
      flash_.select(now);
      command_.reset();
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
      command_.reset();
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
  if (!command_) command_ = in_;
  bits_ = 0;
  out_ = flash_.output(now);
}

/// A flash drives its output behind a command that answers something, and at no other time.
bool FlashPins::answers() const {
  static constexpr std::array<std::uint8_t, 28> kSilent{0x00, 0x01, 0x02, 0x04, 0x06, 0x11, 0x12, 0x17, 0x20, 0x21,
                                                        0x31, 0x42, 0x50, 0x52, 0x5C, 0x60, 0x66, 0x99, 0xB7, 0xB9,
                                                        0xC0, 0xC5, 0xC7, 0xD8, 0xDC, 0xE9, 0xF0, 0xFF};
  return command_ && std::find(kSilent.begin(), kSilent.end(), *command_) == kSilent.end();
}

std::optional<bool> FlashPins::miso() const {
  if (!known_ || last_.cs || !last_.hold || !answers()) return std::nullopt;
  // The bit changes with the falling clock; the one that was taken last is there until then.
  const int bit = bits_ - (last_.clk && bits_ > 0 ? 1 : 0);
  return (out_ >> (7 - bit) & 1) != 0;
}

void FlashPins::powerLost() {
  known_ = false;
  bits_ = 0;
}

}  // namespace imprimo::sim
