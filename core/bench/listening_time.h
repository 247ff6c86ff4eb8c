// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <thread>

#include "core/bench/cores/cores.h"

namespace imprimo::bench {

/// How long something was listened to, by the target's clock; where a source goes by that on the wall, by the slower of
/// the two.
class ListeningTime {
 public:
  /// `core`: null where only the wall's clock is there.
  ListeningTime(BenchCore* core, bool wall) : core_(core), wall_(wall), began_(std::chrono::steady_clock::now()) {
    if (core_ != nullptr) coreBegan_ = core_->now();
  }
  std::chrono::nanoseconds passed() const {
    const std::chrono::nanoseconds onWall = std::chrono::steady_clock::now() - began_;
    if (core_ == nullptr) return onWall;
    const std::chrono::nanoseconds there = core_->now() - coreBegan_;
    return wall_ ? std::min(there, onWall) : there;
  }
  /// Until it is worth to listen again.
  void rest() const {
    constexpr std::chrono::milliseconds kRest{1};
    if (core_ != nullptr) core_->pass(kRest);
    if (core_ == nullptr || wall_) std::this_thread::sleep_for(kRest);
  }

 private:
  BenchCore* core_;
  bool wall_;
  std::chrono::steady_clock::time_point began_;
  std::chrono::nanoseconds coreBegan_{};
};

}  // namespace imprimo::bench
