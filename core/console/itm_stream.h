// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::console {

/// Packets of instrumentation trace (Arm DDI 0403, appendix D4), taken apart; what is no instrumentation, as time
/// stamps and samples, is passed over.
class ItmStream {
 public:
  struct Written {
    unsigned port = 0;   ///< 0 to 31
    unsigned bytes = 1;  ///< of the value: 1, 2 or 4
    std::uint32_t value = 0;
    friend bool operator==(const Written&, const Written&) = default;
  };
  struct News {
    std::vector<Written> writes;
    unsigned overflows = 0;  ///< times that the target had no room for what came
    unsigned strange = 0;    ///< bytes that no packet begins with
  };

  News add(ByteSpan bytes);
  /// Forgets the packet that has begun.
  void restart() { *this = {}; }

 private:
  void begin(std::uint8_t header, News& news);

  unsigned zeros_ = 0;  // in a row, as a synchronization packet begins with
  std::uint8_t header_ = 0;
  unsigned want_ = 0, have_ = 0;  // bytes of a source packet
  std::uint32_t value_ = 0;
  unsigned more_ = 0;  // bytes that may follow, each but the last with its highest bit set
};

}  // namespace imprimo::console
