// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/address_range.h"
#include "core/base/amount.h"

namespace imprimo {

/// Told of work as it is done and asked whether to go on. Called on the thread that works, between pieces of at most
/// 50 ms of bus time.
class Progress {
 public:
  virtual ~Progress() = default;
  /// `range` is finished: read, erased or programmed, as the call says that takes the Progress.
  virtual void advanced(const AddressRange& /*range*/) {}
  /// So much more is done of work that has no addresses.
  virtual void passed(const Amount& /*more*/) {}
  /// Once true it stays true. Whoever works throws Error(Stopped) at the next point where the part is left in order.
  virtual bool stopRequested() const = 0;
};

/// Nobody watches, nobody stops.
class NoProgress : public Progress {
 public:
  bool stopRequested() const override { return false; }
};

}  // namespace imprimo
