// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/sim_clock.h"
#include "sim/spi_flash.h"
#include "sim/violations.h"

namespace imprimo::sim {

/// The SPI bridge in the FPGA's fabric, version 1: a data register of one bit whose input is a stream of frames.
class BridgeCore {
 public:
  BridgeCore(SpiFlash& flash, Violations& violations) : flash_(flash), violations_(violations) {}

  /// Shift-DR is entered or left. `now` is the time of the edge.
  void enter();
  void leave(Time now);
  /// One clock in Shift-DR: returns what TDO shows during it.
  bool clock(bool tdi, Time now);
  /// The clock is about to stop because the host waits.
  void paused();
  /// The part was configured, or had no power: everything begins anew, the mark with zeros.
  void configured();
  /// A core that was made before there were marks takes them as an unknown opcode.
  void withoutMarks() { keepsMarks_ = false; }

 private:
  enum class State { Seek, Header, Body, Deaf };

  void headerDone();
  bool bodyClock(bool tdi, Time now);
  std::uint8_t beginByte(Time now);
  void endByte(Time now);
  void endBody(Time now);
  bool malformed() const;
  void checkFlushed(const char* when);

  SpiFlash& flash_;
  Violations& violations_;
  State state_ = State::Seek;
  bool answer_ = false;  // the register: what the last clock sampled

  std::uint8_t window_ = 0;
  std::uint32_t header_ = 0;  // opcode, length, CRC; opcode in the low byte
  int headerBits_ = 0;

  std::uint8_t opcode_ = 0;
  std::uint32_t length_ = 0;
  bool dropped_ = false;  // the frame in progress is not carried out
  std::uint32_t byteIndex_ = 0;
  int bitIndex_ = 0;
  std::uint8_t in_ = 0, out_ = 0;
  std::uint8_t guard_[3] = {};
  bool chipSelected_ = false;

  bool holding_ = false;
  bool refusedMark_ = false, droppedMark_ = false;  // what hello tells
  bool keepsMarks_ = true;
  std::uint32_t mark_ = 0;
  bool tailOpen_ = false;  // a body ended and no clock came since
};

}  // namespace imprimo::sim
