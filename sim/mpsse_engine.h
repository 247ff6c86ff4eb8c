// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <deque>

#include "core/base/bytes.h"
#include "sim/board.h"

namespace imprimo::sim {

/// What an adapter's board has wired to the engine's general pins: 0 to 7 are the low byte, 8 to 15 the high one.
struct MpsseWiring {
  int resetPin = -1;  ///< pulls the target's nRESET; -1: none
  bool resetLevel = false;
  int enablePin = -1;  ///< has to be driven to `enableLevel`, otherwise the buffers keep the target away
  bool enableLevel = false;
  bool swd = false;       ///< TDI and TDO are SWDIO, and TCK is SWCLK
  int swdEnablePin = -1;  ///< TDI drives it only while this pin has `swdEnableLevel`; -1: through a resistor
  bool swdEnableLevel = false;
  /// Of the chip, in bytes: as many answers are kept until the host reads them, and as many commands until the engine
  /// takes them. 1024 with one channel, 4096 with two, 2048 with four.
  std::size_t buffer = 4096;
};

/// The multi-protocol serial engine of a USB serial chip: a stream of commands on one side, JTAG pins on the other.
/// Written from the published command description (opcodes 0x10 to 0x9F). With its buffer full of answers it takes no
/// more commands, in the middle of one too, until the host has read.
class MpsseEngine {
 public:
  MpsseEngine(Board& board, MpsseWiring wiring) : board_(board), wiring_(wiring) {}

  /// Works on as much as there is; the rest waits for more bytes, or for room for answers.
  void input(ByteSpan bytes);
  /// The next bytes that it has to say, at most `most`; then it goes on.
  Bytes output(std::size_t most = SIZE_MAX);
  std::size_t answers() const { return output_.size(); }
  /// A fault: what it has to say from byte `from` on is this instead.
  void spoil(std::size_t from, const Bytes& instead);
  /// When the answer `index` from the front was ready.
  Time answeredAt(std::size_t index) const { return output_.at(index).at; }
  /// Commands that the engine has not taken because nobody has read its answers.
  std::size_t stalled() const { return stalled_ ? waiting_.size() - done_ : 0; }
  const MpsseWiring& wiring() const { return wiring_; }
  /// As after the host has reset the engine: all pins inputs, nothing waiting.
  void reset();

  /// Clocks in data commands of more than eight bits, and the bytes of command stream that they took.
  std::uint64_t longClocks() const { return longClocks_; }
  std::uint64_t longBytes() const { return longBytes_; }

 private:
  struct Answer {
    std::uint8_t byte = 0;
    Time at = 0;
  };
  /// A command that goes byte by byte.
  struct Running {
    std::uint8_t opcode = 0;
    std::size_t left = 0;  ///< bytes
  };
  std::uint64_t swdClock(std::uint64_t tdi, int count);
  void work();
  bool step();
  bool stepBytes();
  void say(std::uint8_t byte) { output_.push_back({byte, board_.now()}); }
  bool room(std::size_t bytes);
  /// How many bytes the command at the front has; 0: more are needed to know.
  std::size_t lengthOf(ByteSpan bytes) const;
  void execute(ByteSpan command);
  void data(ByteSpan command);
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
  std::size_t done_ = 0;  // bytes at the front of waiting_ that were worked on
  std::deque<Answer> output_;
  Running running_;
  bool stalled_ = false;
  std::uint16_t levels_ = 0, directions_ = 0;
  bool tmsLevel_ = false;
  bool loopback_ = false;
  bool divideBy5_ = true;
  unsigned divisor_ = 0;
  std::uint64_t longClocks_ = 0, longBytes_ = 0;
};

}  // namespace imprimo::sim
