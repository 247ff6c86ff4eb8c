// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

namespace imprimo::memory {

/// What a copy is of.
struct CopyOf {
  std::string memory;    ///< its name in the sheet
  std::string sheet;     ///< the sheet's title
  std::string identity;  ///< what it answered to 0x9F: "0x7e4017"
  unsigned bank = 1;
  std::uint64_t size = 0;  ///< of the part
  std::string uniqueId{};  ///< hexadecimal digits; empty where the part has none that is known
  /// It was made while an earlier run's work on this memory was unfinished: no state that anybody wants back.
  bool unfinished = false;
};

}  // namespace imprimo::memory
