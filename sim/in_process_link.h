// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <optional>

#include "sim/bench.h"

namespace imprimo::sim {

/// A cable of known length to a bench in the same process. The host takes no time of its own: a packet leaves when it
/// is sent, arrives half a latency later, is worked on when those before it are done, and its answer is back another
/// half later. So a latency is paid exactly where somebody waits for an answer with nothing under way.
class InProcessLink {
 public:
  explicit InProcessLink(Bench& bench) : bench_(bench) {}

  /// False when the link is down.
  bool send(ByteSpan packet);
  /// Nothing when no answer is under way.
  std::optional<Bytes> receive();
  /// The host's clock, and waiting by it.
  Time hostTime() const { return hostTime_; }
  void wait(Time time) { hostTime_ += time; }

 private:
  struct Answer {
    Bytes bytes;
    Time at;
  };
  Bench& bench_;
  Time hostTime_ = 0;
  std::deque<Answer> answers_;
};

}  // namespace imprimo::sim
