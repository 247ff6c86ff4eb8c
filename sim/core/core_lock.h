// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

#include "sim/sim_clock.h"
#include "sim/violations.h"

namespace imprimo::sim {

/// What keeps a debugger out of a chip's memory, and the access port of its own through which it is opened
/// (docs/formats/bench.md): erasing everything opens it, from the next reset on, and a fuse closes it.
class CoreLock {
 public:
  CoreLock(bool locked, double eraseAll, Violations& violations)
      : fused_(locked), closed_(locked), eraseAll_(eraseAll), violations_(violations) {}

  /// Whether the memory is closed just now.
  bool closed() const { return closed_; }
  std::uint32_t read(std::uint32_t address) const;
  /// `reset`: becomes true where the chip is to be reset.
  void write(std::uint32_t address, std::uint32_t value, Time now, bool& reset);
  /// Carries on with an erase; true where it came to its end.
  bool finished(Time now);
  /// Closes it from the next reset on; `forEver`: no erase opens it again.
  void fuse(bool forEver) {
    fused_ = true;
    forEver_ = forEver_ || forEver;
  }
  /// The erase that the power's loss breaks off, if one was under way, leaves the chip locked.
  bool powerLost();
  void reset() {
    closed_ = fused_;
    armed_ = false;
  }

 private:
  bool fused_, closed_, forEver_ = false;
  bool armed_ = false, refused_ = false, erasing_ = false;
  Time until_ = 0;
  double eraseAll_;
  Violations& violations_;
};

}  // namespace imprimo::sim
