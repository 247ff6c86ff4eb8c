// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>

#include "core/console/source.h"
#include "core/console/target_memory.h"

namespace imprimo::console {

/// What a target asks its host for, by the semihosting specification (Arm, Semihosting for AArch32 and AArch64).
struct HostCall {
  std::uint32_t operation = 0, parameter = 0;  ///< r0 and r1
};

/// Carries out what writes and what ends, and the clock; anything else is refused and said.
class Semihosting {
 public:
  struct Answer {
    Heard heard;
    std::uint32_t result = 0;  ///< for r0
    bool goesOn = true;        ///< false where the program has ended: the target stays where it is
  };
  /// `now`: since the target was begun to be listened to. Throws what the memory throws.
  static Answer answer(const HostCall& call, TargetMemory& memory, std::chrono::nanoseconds now);
};

}  // namespace imprimo::console
