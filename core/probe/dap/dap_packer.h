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

/// What a probe does not do as the packer would have it.
struct DapHabits {
  bool executesSeveral = true;  ///< ExecuteCommands: a capability that a probe need not have ("atomic commands")
  /// Lets time pass in place of a Delay command. `looked`: what comes next shows whether it was long enough. False: a
  /// Delay will do.
  std::function<bool(std::chrono::microseconds, bool looked)> wait{};
  /// Gives clocks that stand for a time. False: they are counted.
  std::function<bool(bool tms, std::uint32_t clocks, jtag::Lasting)> stay{};
};

/// Turns scan batches into packets that are as full as they can be: JTAG_Sequence and Delay commands, several in one
/// packet by ExecuteCommands where the probe has that. Each packet is handed over as soon as it is full.
class DapPacker {
 public:
  using Emit = std::function<void(DapPacket&&)>;
  DapPacker(std::size_t packetSize, Emit emit, DapHabits habits = {});

  void add(const jtag::ScanBatch& batch);
  /// Clocks with TDI 0.
  void tms(bool level, std::size_t clocks);
  /// Hands over what is left.
  void flush();
  /// A packet that was answered gives its room to one that comes.
  void reuse(DapPacket&& packet);

 private:
  void add(const jtag::Scan& scan);
  void add(const jtag::ResetTap&);
  void add(const jtag::Idle& idle);
  void add(const jtag::Delay& delay) { wait(delay.time, false); }
  void add(const jtag::Clocks& clocks) { stay(clocks.tms, clocks.count, clocks.lasting); }

  void stay(bool level, std::uint32_t clocks, jtag::Lasting lasting);
  std::size_t idleInBulk(std::size_t clocks);
  void shift(const BitVector& bits, jtag::BitRange range, bool tmsLevel, bool capture);
  void wait(std::chrono::microseconds time, bool looked);

  void begin();
  std::size_t mostCommands() const;
  void openSequences();
  void closeSequences();
  std::size_t room() const { return limit_ - packet_.request.size(); }

  std::size_t limit_;
  Emit emit_;
  DapHabits habits_;
  DapPacket packet_;
  std::vector<DapPacket> spare_;
  std::size_t countAt_ = 0;  // where the open JTAG_Sequence's count stands; 0: none is open
};

}  // namespace imprimo::probe
