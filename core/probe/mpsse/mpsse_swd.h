// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/probe/swd_port.h"

namespace imprimo::probe {

/// Bits with the clock, the first one first, and those of the wire that are wanted.
struct SwdShift {
  /// A stretch in which either this end drives the wire or the other one does.
  struct Stretch {
    BitVector out;  ///< what is driven; ones where the other end drives
    bool drives = true;
    bool capture = false;
  };
  std::vector<Stretch> stretches;
};

/// Serial Wire Debug by an engine that shifts bits and looks at none of them: each access has its data phase whatever
/// the port answers, which it does with overrun detection on (ADIv5.2, B4.2.4 and B4.3.1), and what was refused is
/// found afterwards.
class MpsseSwd : public SwdPort {
 public:
  /// Carries shifts out, and returns what was captured, joined. Throws LinkLost.
  using Exchange = std::function<BitVector(const SwdShift&)>;
  using HostTime = std::function<std::chrono::nanoseconds()>;
  MpsseSwd(Exchange exchange, HostTime hostTime) : exchange_(std::move(exchange)), hostTime_(std::move(hostTime)) {}

  RegisterAnswers access(const RegisterBatch& batch) override;
  void sequence(const BitVector& bits) override;
  void selectTarget(std::uint32_t value) override;
  std::chrono::nanoseconds now() const override { return hostTime_(); }
  void pass(std::chrono::microseconds) override {}
  std::uint32_t controlBits() const override { return 1; }

 private:
  Exchange exchange_;
  HostTime hostTime_;
  std::size_t idle_ = 0;  // clocks behind an access of an access port: as many as it was seen to need
};

}  // namespace imprimo::probe
