// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

#include "core/base/bytes.h"

namespace imprimo::probe {

/// How trace comes on its one wire (Arm IHI 0029, serial wire output).
enum class SwoCoding : std::uint8_t { Uart, Manchester };

/// The wire on which a target's trace comes, as a probe listens to it.
class SwoPort {
 public:
  struct Caught {
    Bytes bytes;
    bool overrun = false;  ///< the probe's buffer was full, and what came then is gone
    bool error = false;    ///< something came that is no byte in this coding, at this rate
  };
  virtual ~SwoPort() = default;
  virtual bool can(SwoCoding coding) const = 0;
  /// Listens from now on, with an empty buffer, at `hz` bits a second or what is nearest; returns that, 0 where there
  /// is none. Throws Refused for a coding that it cannot, LinkLost.
  virtual std::uint32_t begin(SwoCoding coding, std::uint32_t hz) = 0;
  /// What came since. Throws LinkLost.
  virtual Caught take() = 0;
  virtual void end() = 0;
};

}  // namespace imprimo::probe
