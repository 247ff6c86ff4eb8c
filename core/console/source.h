// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::console {

/// What was heard on one channel of a source since it was asked before.
struct Heard {
  std::string channel;  ///< "ring", "ring 2", "itm 3", "semihosting"
  Bytes bytes{};
  std::uint32_t lost = 0;               ///< bytes that found no room on the target
  bool began = false;                   ///< the target has begun anew
  std::optional<std::uint32_t> exit{};  ///< its program has ended with this code
  std::string note{};                   ///< what else happened, for people
};

/// Something through which a target speaks.
class Source {
 public:
  virtual ~Source() = default;
  /// What came since the last call; nothing is waited for. Throws LinkLost, BrokenChain, Refused.
  virtual std::vector<Heard> hear() = 0;
  /// Says something to it; returns how many bytes were taken, 0 where it takes none.
  virtual std::size_t tell(ByteSpan bytes) = 0;
  /// Whether it speaks by the clock on the wall, and not by the target's.
  virtual bool byWallClock() const { return false; }
  /// Puts back what was changed on the target for listening to it, while it is still there. Throws as hear().
  virtual void end() {}
};

}  // namespace imprimo::console
