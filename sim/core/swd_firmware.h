// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"
#include "sim/board.h"

namespace imprimo::sim {

/// The part of a probe's firmware that speaks SWD: accesses of the debug port as CMSIS-DAP Transfer and TransferBlock
/// ask for them, clock by clock on the board's wires.
class SwdFirmware {
 public:
  explicit SwdFirmware(Board& board) : board_(board) {}

  void configure(std::uint8_t turnaround, bool dataPhase) {
    turnaround_ = turnaround;
    dataPhase_ = dataPhase;
  }
  void configureTransfer(std::uint8_t idle, std::uint16_t retries, std::uint16_t matches) {
    idle_ = idle;
    retries_ = retries;
    matches_ = matches;
  }
  /// DAP_Transfer and DAP_TransferBlock without their command byte. False when the packet ends in the middle.
  bool transfer(ByteSpan& in, Bytes& out, std::size_t room);
  bool block(ByteSpan& in, Bytes& out, std::size_t room);

 private:
  static constexpr std::uint8_t kOk = 1, kWait = 2, kFault = 4, kParity = 8, kMismatch = 16;
  /// One DAP_Transfer on its way.
  struct Transfer {
    Bytes& out;
    std::uint8_t ack = kOk;
    unsigned done = 0;
    bool wrote = false;   ///< the last access wrote, and is not known to have been taken
    bool posted = false;  ///< a read of an access port whose value is still to be fetched
  };
  void fetchPosted(Transfer& t, std::uint8_t request);
  void readOnce(Transfer& t, std::uint8_t request);
  void matchValue(Transfer& t, std::uint8_t request, std::uint32_t wanted);
  void finish(Transfer& t);
  std::uint8_t once(std::uint8_t request, std::uint32_t& data);
  std::uint8_t access(std::uint8_t request, std::uint32_t& data);
  void drive(std::uint64_t bits, unsigned count);
  std::uint64_t sense(unsigned count);

  Board& board_;
  std::uint8_t turnaround_ = 1, idle_ = 0;
  std::uint16_t retries_ = 100, matches_ = 0;
  std::uint32_t mask_ = 0xFFFFFFFF;
  bool dataPhase_ = false;
};

}  // namespace imprimo::sim
