// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/core/debug_port.h"

namespace imprimo::sim {

/// The target's end of the two wires of Serial Wire Debug, clock by clock (IHI 0031, B4 and B5): line reset, switching
/// between JTAG and SWD, packets with parity and turnaround. A packet that is wrong is met with silence until the next
/// line reset, as a target does.
class SwdWire {
 public:
  SwdWire(DebugPort& port, Violations& violations);

  /// One clock. `drives`: the host drives SWDIO with `level`; otherwise the level is what the target shows, or that of
  /// the pull-up.
  bool clock(bool drives, bool level, Time now);
  /// Whether the target drives the line at the next clock.
  bool shows() const { return state_ == State::Answer || state_ == State::ReadData; }
  void powerLost();
  /// The bit of clock `n` from now is another one at the far end, whoever drives it.
  void flipBitAfter(std::uint64_t clocks) { flipIn_ = clocks; }

 private:
  enum class State { Dormant, Jtag, Silent, WasReset, Idle, Request, Turn, Answer, ReadData, TurnBack, WriteData };
  bool step(bool drives, bool level, Time now);
  bool show(Time now);
  void sequences(bool level);
  void waken(bool level);
  void targetChosen();
  void requestDone(Time now);
  void writeDone(Time now);
  void begin(State state, unsigned bits);

  DebugPort& port_;
  Violations& violations_;
  State state_ = State::Jtag;
  State after_ = State::Idle;  // where TurnBack leads
  unsigned left_ = 0;          // clocks of this state
  std::uint64_t shift_ = 0;    // bits of a request or of data, and what is shown
  unsigned got_ = 0;
  unsigned ones_ = 0;  // in a row, by the host
  std::uint32_t sequence_ = 0;
  unsigned sequenceBits_ = 0;
  bool afterOnes_ = false;                      // fifty ones, and then not yet sixteen bits
  bool ignores_ = false;                        // the data of a write that was refused
  bool needsId_ = false;                        // the first access behind a line reset reads DPIDR
  bool chosen_ = true;                          // by TARGETSEL, where there are several
  bool choosing_ = false;                       // the data of a write to TARGETSEL comes
  std::uint64_t alertLow_ = 0, alertHigh_ = 0;  // the last 128 bits, the newest on top
  int sinceAlert_ = -1;                         // bits after the selection alert; -1: there was none
  unsigned code_ = 0;
  bool ap_ = false, read_ = false;
  unsigned address_ = 0;
  std::optional<std::uint64_t> flipIn_;
  DebugPort::Ack ack_ = DebugPort::Ack::Ok;
};

}  // namespace imprimo::sim
