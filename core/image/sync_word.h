// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/bytes.h"

namespace imprimo {

/// Bytes from digits, two each, with or without blanks between: "9A 51 6C E1". Nothing for anything else, and for none.
std::optional<Bytes> parseByteDigits(std::string_view text);

/// Where the word stands that a part looks for at the beginning of its bitstream.
struct SyncFound {
  std::uint64_t at = 0;   ///< of its first byte
  bool reversed = false;  ///< the bits of each byte are swapped
};

/// The first place in `bytes`, either way; a word that is the same both ways is found as it is.
std::optional<SyncFound> findSync(ByteSpan bytes, ByteSpan word);

/// How many equal bytes of 0x00 or 0xFF a file begins with.
struct LeadingPad {
  std::uint8_t value = 0;
  std::uint64_t count = 0;
};
LeadingPad leadingPad(ByteSpan bytes);

}  // namespace imprimo
