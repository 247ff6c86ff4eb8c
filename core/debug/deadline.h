// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <chrono>

#include "core/debug/port_wires.h"

namespace imprimo::debug {

/// How long something is waited for, asking again and again.
class Deadline {
 public:
  Deadline(PortWires& wires, std::chrono::nanoseconds limit) : wires_(wires), begin_(wires.now()), limit_(limit) {}
  bool passed() const { return wires_.now() - begin_ >= limit_; }
  /// Before it is asked again: after a while that is no longer done as fast as it goes.
  void rest() {
    using std::chrono::microseconds;
    constexpr std::chrono::milliseconds kMost{20};
    const std::chrono::nanoseconds waited = wires_.now() - begin_;
    if (waited > kMost && waited > limit_ / 4)
      wires_.pass(std::chrono::duration_cast<microseconds>(std::min<std::chrono::nanoseconds>(waited / 8, kMost)));
  }
  void restart() { begin_ = wires_.now(); }

 private:
  PortWires& wires_;
  std::chrono::nanoseconds begin_, limit_;
};

}  // namespace imprimo::debug
