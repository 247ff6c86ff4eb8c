// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <vector>

#include "core/base/bit_vector.h"
#include "core/base/bytes.h"
#include "core/jtag/scan_batch.h"

namespace imprimo::probe {

/// One CMSIS-DAP packet and what its response must look like.
struct DapPacket {
  struct Command {
    std::uint8_t id;
    std::size_t firstCapture;  ///< index into captures
  };
  Bytes request;
  std::vector<Command> commands;
  std::vector<std::uint8_t> captures;  ///< bits (1 to 64) of each captured sequence, in order
  std::uint64_t clocks = 0;
  std::chrono::microseconds waits{};

  /// Appends what was captured to `bits`. Throws LinkLost naming the command that was refused or answered too shortly.
  void unpack(ByteSpan response, BitVector& bits) const;
};

/// Turns scan batches into packets that are as full as they can be: JTAG_Sequence and Delay commands, several in one
/// packet by ExecuteCommands. Each packet is handed over as soon as it is full.
class DapPacker {
 public:
  using Emit = std::function<void(DapPacket&&)>;
  DapPacker(std::size_t packetSize, Emit emit);

  void add(const jtag::ScanBatch& batch);
  /// Hands over what is left.
  void flush();
  /// A packet that was answered gives its room to one that comes.
  void reuse(DapPacket&& packet);

 private:
  void add(const jtag::Scan& scan);
  void add(const jtag::ResetTap&);
  void add(const jtag::Idle& idle);
  void add(const jtag::Delay& delay) { wait(delay.time); }
  void add(const jtag::Clocks& clocks) { tms(clocks.tms, clocks.count); }

  void tms(bool level, std::size_t clocks);
  std::size_t idleInBulk(std::size_t clocks);
  void shift(const BitVector& bits, jtag::BitRange range, bool tmsLevel, bool capture);
  void wait(std::chrono::microseconds time);

  void begin();
  void openSequences();
  void closeSequences();
  std::size_t room() const { return limit_ - packet_.request.size(); }

  std::size_t limit_;
  Emit emit_;
  DapPacket packet_;
  std::vector<DapPacket> spare_;
  std::size_t countAt_ = 0;  // where the open JTAG_Sequence's count stands; 0: none is open
};

}  // namespace imprimo::probe
