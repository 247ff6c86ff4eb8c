// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <mutex>
#include <optional>
#include <stop_token>
#include <utility>

namespace imprimo::app {

/// How the window holds a file that is being played: at a pause, and at a mismatch until it is decided what to do. Its
/// methods may be called from any thread; those that wait are for the one that plays.
class PlayControl {
 public:
  void setPaused(bool paused) {
    {
      const std::lock_guard lock(mutex_);
      paused_ = paused;
    }
    changed_.notify_all();
  }
  void decide(bool goOn) {
    {
      const std::lock_guard lock(mutex_);
      decision_ = goOn;
    }
    changed_.notify_all();
  }
  /// Returns when there is no pause, or a stop was asked for.
  void waitWhilePaused(const std::stop_token& stop) {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, stop, [this] { return !paused_; });
  }
  /// The decision; false when a stop was asked for.
  bool waitForDecision(const std::stop_token& stop) {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, stop, [this] { return decision_.has_value(); });
    // Taken only now: it may have been made before this thread began to wait.
    return std::exchange(decision_, std::nullopt).value_or(false);
  }

 private:
  std::mutex mutex_;
  std::condition_variable_any changed_;
  bool paused_ = false;
  std::optional<bool> decision_;
};

}  // namespace imprimo::app
