// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>

namespace imprimo::flash {

/// How long one kind of operation keeps this very part busy, from what it has shown so far. Seconds.
class BusyEstimate {
 public:
  /// `typical` and `longest` are the data sheet's.
  BusyEstimate(double typical, double longest) : expected_(typical), longest_(longest) {}

  bool measured() const { return measured_; }
  double expected() const { return expected_; }
  /// What to wait, so that hardly one comes too early.
  double wait() const { return expected_ * margin_; }

  /// It was ready after so long, seen by watching.
  void saw(double seconds) {
    const double slowly = seconds < 0.7 * expected_ ? 0.5 : 0.1;
    expected_ = !measured_ || seconds > expected_ ? seconds : (1 - slowly) * expected_ + slowly * seconds;
    measured_ = true;
  }
  /// It was still busy after all of the time that was watched.
  void sawNoEnd() { expected_ = std::min(2 * expected_, longest_); }
  void wasEnough() { margin_ = std::max(kLeastMargin, margin_ * 0.998); }
  void wasTooShort() { margin_ = std::min(margin_ * 1.05, kMostMargin); }

 private:
  /// What takes still longer is so rare that looking at it again costs less than waiting for all.
  static constexpr double kLeastMargin = 1.04, kMostMargin = 1.5;
  double expected_, longest_;
  double margin_ = kLeastMargin;
  bool measured_ = false;
};

}  // namespace imprimo::flash
