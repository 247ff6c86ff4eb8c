// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/sync_word.h"

#include <algorithm>
#include <functional>

#include "core/image/hex_digits.h"

namespace imprimo {
namespace {

std::optional<std::uint64_t> find(ByteSpan bytes, ByteSpan word) {
  const auto at = std::search(bytes.begin(), bytes.end(), std::boyer_moore_horspool_searcher(word.begin(), word.end()));
  if (at == bytes.end()) return std::nullopt;
  return static_cast<std::uint64_t>(at - bytes.begin());
}

}  // namespace

std::optional<Bytes> parseByteDigits(std::string_view text) {
  Bytes bytes;
  if (text.starts_with("0x") || text.starts_with("0X")) text.remove_prefix(2);
  for (std::size_t i = 0; i < text.size();) {
    if (text[i] == ' ') {
      ++i;
      continue;
    }
    if (i + 1 >= text.size() || digitValue(text[i]) < 0 || digitValue(text[i + 1]) < 0) return std::nullopt;
    bytes.push_back(static_cast<std::uint8_t>(digitValue(text[i]) << 4 | digitValue(text[i + 1])));
    i += 2;
  }
  if (bytes.empty()) return std::nullopt;
  return bytes;
}

std::optional<SyncFound> findSync(ByteSpan bytes, ByteSpan word) {
  Bytes swapped(word.begin(), word.end());
  for (std::uint8_t& b : swapped) b = reverseBits(b);
  const auto plain = find(bytes, word);
  const auto reversed = find(plain ? bytes.first(std::min(bytes.size(), *plain + word.size())) : bytes, swapped);
  if (reversed && (!plain || *reversed < *plain)) return SyncFound{*reversed, true};
  if (plain) return SyncFound{*plain, false};
  return std::nullopt;
}

LeadingPad leadingPad(ByteSpan bytes) {
  if (bytes.empty() || (bytes[0] != 0x00 && bytes[0] != 0xFF)) return {};
  const auto end = std::find_if(bytes.begin(), bytes.end(), [&](std::uint8_t b) { return b != bytes[0]; });
  return {bytes[0], static_cast<std::uint64_t>(end - bytes.begin())};
}

}  // namespace imprimo
