// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

namespace imprimo {

/// So much work, and what it is counted in.
struct Amount {
  enum Unit { Bytes, Bits, Clocks };
  std::uint64_t count = 0;
  Unit unit = Bytes;

  bool empty() const { return count == 0; }
  /// "1.2 MiB", "9.46 Mbit", "2000 clocks"
  std::string text() const;
  friend bool operator==(const Amount&, const Amount&) = default;
};

}  // namespace imprimo
