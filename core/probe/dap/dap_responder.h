// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/probe/probe.h"

namespace imprimo::probe {

/// Answers CMSIS-DAP commands in the name of a probe that does not speak it, so that it can be shared like any other
/// (Arm, CMSIS-DAP 2.1). JTAG only: it says so in its capabilities, and transfers to a debug port are answered with
/// "no acknowledge".
class DapResponder {
 public:
  explicit DapResponder(Probe& probe) : probe_(probe) {}
  static constexpr std::size_t kPacketSize = 1024, kPacketCount = 8;

  /// The responses that are due: none, one, or behind QueueCommands several at once. Throws what the probe throws.
  std::vector<Bytes> process(ByteSpan packet);
  /// What Disconnect does.
  void disconnect();

 private:
  Bytes respond(ByteSpan packet);
  /// Carries out the command at the front of `in` and takes it away. False when it ends in the middle.
  bool command(ByteSpan& in, Bytes& out);
  void info(std::uint8_t id, Bytes& out) const;
  bool jtagSequence(ByteSpan& in, Bytes& out);
  bool jtagIdcode(std::uint8_t index, Bytes& out);
  bool swjSequence(ByteSpan& in, Bytes& out);
  bool transfer(ByteSpan& in, Bytes& out);
  std::uint64_t clock(bool tms, std::uint64_t tdi, std::size_t count);
  void pins(std::uint8_t levels, std::uint8_t mask);

  Probe& probe_;
  std::vector<Bytes> queued_;
  std::vector<std::uint8_t> irLengths_;
  bool resetHeld_ = false;
};

}  // namespace imprimo::probe
