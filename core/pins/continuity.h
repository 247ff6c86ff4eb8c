// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/pin_scan.h"

namespace imprimo::pins {

/// Whether what is driven at one port comes to another one.
struct Continuity {
  struct Way {
    bool low = false, high = false;  ///< what was at the other port while 0 and while 1 was driven
    bool follows() const { return !low && high; }
  };
  std::optional<Way> there, back;  ///< nothing where a port cannot drive, or cannot be sampled
  bool joined() const;             ///< each way that could be tried follows
  /// "joined, both ways", "not joined: the other stays 1"
  std::string words() const;
};

/// Drives one port low, then high, and looks at the other; then the other way round, where both can. All else is let go
/// as far as it can be; afterwards all pins are the devices' own. `from` and `to` may be one device. Throws Usage where
/// neither port can drive the other; LinkLost.
Continuity checkContinuity(PinScan& from, std::size_t port, PinScan& to, std::size_t other);

}  // namespace imprimo::pins
