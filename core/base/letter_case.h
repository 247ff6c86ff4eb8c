// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

namespace imprimo {

/// Names that are the same but for the case of their letters; ASCII letters only.
inline std::string lowered(std::string_view text) {
  std::string low(text);
  for (char& c : low) {
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  }
  return low;
}
inline bool sameButForCase(std::string_view a, std::string_view b) {
  return a.size() == b.size() && lowered(a) == lowered(b);
}

}  // namespace imprimo
