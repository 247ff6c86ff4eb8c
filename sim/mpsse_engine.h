// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

#include "core/base/bytes.h"
#include "sim/board.h"

namespace imprimo::sim {

/// What an adapter's board has wired to the engine's general pins: 0 to 7 are the low byte, 8 to 15 the high one.
struct MpsseWiring {
  int resetPin = -1;  ///< pulls the target's nRESET; -1: none
  bool resetLevel = false;
  int enablePin = -1;  ///< has to be driven to `enableLevel`, otherwise the buffers keep the target away
  bool enableLevel = false;
};

/// The multi-protocol serial engine of a USB serial chip: a stream of commands on one side, JTAG pins on the other.
/// Written from the published command description (opcodes 0x10 to 0x9F).
class MpsseEngine {
 public:
  MpsseEngine(Board& board, MpsseWiring wiring) : board_(board), wiring_(wiring) {}

  /// Takes as many whole commands as there are; the rest waits for more.
  void input(ByteSpan bytes);
  /// What it has to say since the last call.
  Bytes output();
  /// As after the host has reset the engine: all pins inputs, nothing waiting.
  void reset();

  /// Clocks in data commands of more than eight bits, and the bytes of command stream that they took.
  std::uint64_t longClocks() const { return longClocks_; }
  std::uint64_t longBytes() const { return longBytes_; }

 private:
  /// How many bytes the command at the front has; 0: more are needed to know.
  std::size_t lengthOf(ByteSpan bytes) const;
  void execute(ByteSpan command);
  void data(ByteSpan command);
  void dataBytes(std::uint8_t opcode, ByteSpan bytes, std::size_t count);
  void dataBits(std::uint8_t opcode, std::uint8_t bits, int count);
  void tms(std::uint8_t opcode, std::uint8_t bits, int count);
  std::uint64_t clock(bool level, std::uint64_t tdi, int count);
  void pinsChanged(std::uint16_t levels, std::uint16_t directions);
  void setRate();
  bool driven(int pin, bool level) const;
  bool enabled() const { return wiring_.enablePin < 0 || driven(wiring_.enablePin, wiring_.enableLevel); }
  void checkEdges(std::uint8_t opcode);

  Board& board_;
  MpsseWiring wiring_;
  Bytes waiting_;
  Bytes output_;
  std::uint16_t levels_ = 0, directions_ = 0;
  bool tmsLevel_ = false;
  bool loopback_ = false;
  bool divideBy5_ = true;
  unsigned divisor_ = 0;
  std::uint64_t longClocks_ = 0, longBytes_ = 0;
};

}  // namespace imprimo::sim
