// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace imprimo::console {

/// What a core said while something was waited for.
struct Speech {
  std::string wanted;
  bool seen = false;
  double seconds = 0;  ///< that it took, or that were waited, of the target's time
  std::string text;    ///< the end of what was said, at most 4 096 bytes, readable
  std::uint64_t lost = 0;
  std::optional<std::uint32_t> exit;  ///< its program ended with this code
  /// For the record, about the core of that name.
  std::string sentence(const std::string& core) const;
};

}  // namespace imprimo::console
