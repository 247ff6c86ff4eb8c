// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace imprimo::memory {

/// How fast bytes come and go.
struct LinkSpeed {
  std::uint32_t clockHz = 1'000'000;
  std::uint32_t clocksPerExchange = 40;
  double clocksPerByte = 8;
  double readSeconds(std::uint64_t bytes) const;
  double pageSeconds(std::uint64_t bytes) const;  ///< on the wires; the part's own time comes on top
};

}  // namespace imprimo::memory
