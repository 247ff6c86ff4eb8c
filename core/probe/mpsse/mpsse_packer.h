// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <chrono>
#include <functional>
#include <vector>

#include "core/base/bit_vector.h"
#include "core/base/bytes.h"
#include "core/jtag/scan_batch.h"

namespace imprimo::probe {

/// Opcodes of the engine, from the chip's published command description.
namespace mpsse {
constexpr std::uint8_t kBytesOut = 0x19, kBytesBoth = 0x39, kBitsOut = 0x1B, kBitsBoth = 0x3B, kTmsOut = 0x4B,
                       kTmsBoth = 0x6B;  // out at the falling edge, in at the rising one, least significant bit first
constexpr std::uint8_t kSetLow = 0x80, kReadLow = 0x81, kSetHigh = 0x82, kReadHigh = 0x83, kLoopOn = 0x84,
                       kLoopOff = 0x85, kDivisor = 0x86, kSendNow = 0x87, kNoDivideBy5 = 0x8A, kTwoPhase = 0x8D,
                       kClockBits = 0x8E, kClockBytes = 0x8F, kNoAdaptive = 0x97, kNoSuchCommand = 0xAA,
                       kBadCommand = 0xFA;
}  // namespace mpsse

/// A piece of command stream, and what its answer will be.
struct MpsseChunk {
  /// Bits to keep of a run of answer bytes.
  struct Keep {
    std::size_t byte = 0;  ///< where the run begins in the answer
    std::size_t bit = 0;   ///< the first bit to keep, counted in the run
    std::size_t count = 0;
    std::uint8_t shift = 0;  ///< of a single byte: its bits stand at the upper end, so many from the lower one
  };
  Bytes commands;
  std::size_t answer = 0;  ///< bytes that will come back
  std::vector<Keep> keeps;
  std::uint64_t clocks = 0;
  std::chrono::microseconds wait{};  ///< time to let pass when all of it has been clocked

  /// Appends what was captured to `bits`; `said` has to have `answer` bytes.
  void unpack(ByteSpan said, BitVector& bits) const;
};

/// How large a chunk may become.
struct MpsseLimits {
  std::size_t answer = 2000;          ///< bytes; two chunks' have to fit into the chip's buffer
  std::uint64_t clocks = UINT64_MAX;  ///< at least 8
  static constexpr std::size_t kMostCommands = 32768;

  /// For a chip that keeps so many bytes of answers, with each chunk over in 25 ms at `hz`.
  static MpsseLimits of(std::size_t answerRoom, std::uint32_t hz);
};

/// Turns scan batches into command stream. Each chunk is as large as it may be: the engine stops working when its
/// answers are not fetched.
class MpssePacker {
 public:
  using Emit = std::function<void(MpsseChunk&&)>;

  explicit MpssePacker(Emit sink, MpsseLimits limits = {}) : emit_(std::move(sink)), limits_(limits) {}

  void add(const jtag::ScanBatch& batch);
  /// Clocks with the TMS pin left as it is.
  void shift(const BitVector& bits, jtag::BitRange range, const std::vector<jtag::BitRange>& captures);
  void command(ByteSpan bytes) { chunk_.commands.insert(chunk_.commands.end(), bytes.begin(), bytes.end()); }
  /// Hands over what is left.
  void flush();

 private:
  void add(const jtag::Scan& scan);
  void add(const jtag::ResetTap&);
  void add(const jtag::Idle& idle);
  void add(const jtag::Delay& delay);
  void add(const jtag::Clocks& clocks);

  void tms(std::uint8_t levels, int count, bool tdi, bool captureFirst = false);
  void bytes(const BitVector& bits, std::size_t at, std::size_t count, bool read,
             const std::vector<jtag::BitRange>& captures);
  void keepOf(std::size_t runAt, std::size_t firstBit, std::size_t bitCount, std::uint8_t shift,
              const std::vector<jtag::BitRange>& captures);
  void flushIfFull(std::size_t moreAnswer, std::uint64_t moreClocks);
  std::uint64_t clocksLeft() const { return limits_.clocks - std::min(limits_.clocks, chunk_.clocks); }

  Emit emit_;
  MpsseLimits limits_;
  MpsseChunk chunk_;
};

}  // namespace imprimo::probe
