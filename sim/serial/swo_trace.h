// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <optional>
#include <string>

#include "core/base/bytes.h"
#include "sim/serial/line_level.h"
#include "sim/violations.h"

namespace imprimo::sim {

struct SwoModel {
  std::uint32_t hz = 16'000'000;  ///< of the trace clock
  double drift = 0;               ///< by this share the clock is faster in the end, as an oscillator that warms up
  double driftTime = 2;           ///< seconds that this takes
  bool pinOff = false;            ///< the pin is something else until a bit in the chip's own register is set
};

/// Instrumentation trace (ITM) and the unit that brings it to one pin (TPIU), as the ARMv7-M architecture has them (Arm
/// DDI 0403, C1.7 and C1.10, appendix D4): stimulus ports, their enables, the lock, the divider and both codings. What
/// came is on the wire bit by bit, and there is room for a few bytes only.
class SwoTrace {
 public:
  static constexpr std::uint32_t kItm = 0xE0000000, kTpiu = 0xE0040000, kSize = 0x1000;
  static constexpr std::uint32_t kPinRegister = 0x40040000;  ///< bit 0: the pin is SWO

  SwoTrace(SwoModel model, Violations& violations) : model_(model), violations_(violations) {}

  static bool holds(std::uint32_t address);
  /// `on`: trace is enabled (DEMCR.TRCENA); without it nothing here answers but with 0.
  std::uint32_t load(std::uint32_t address, Time now, bool on);
  void store(std::uint32_t address, unsigned bytes, std::uint32_t value, Time now, bool on);
  void powerLost();
  /// The wire comes off the pin.
  void cutPin() { cut_ = true; }

  /// What the pin was from the last call until `now`.
  LineLevels take(Time now);
  bool idlesHigh() const { return coding_ == kUart; }

 private:
  static constexpr std::uint32_t kManchester = 1, kUart = 2;
  struct Packet {
    Time at, bit;
    Bytes bytes;
    std::uint32_t coding;
  };
  bool enabled(unsigned port) const { return (control_ & 1) != 0 && (ports_ >> port & 1) != 0; }
  std::size_t waiting(Time now) const;
  void say(Bytes bytes, Time now);
  double clockAt(Time now) const;
  void storeItm(std::uint32_t offset, std::uint32_t value);

  SwoModel model_;
  Violations& violations_;
  bool locked_ = true, lost_ = false, pin_ = false, cut_ = false;
  std::uint32_t control_ = 0, ports_ = 0, privileges_ = 0;
  std::uint32_t coding_ = kManchester, divider_ = 0, formatter_ = 0x102;
  std::deque<Packet> packets_;  // that are not taken from the wire yet
  Time free_ = 0, taken_ = 0;
};

}  // namespace imprimo::sim
