// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/base/bytes.h"

namespace imprimo::console {

/// The end of what one channel said, and whether a text was in it, also where that came in pieces.
class HeardText {
 public:
  /// An empty `wanted` is never seen.
  explicit HeardText(std::string wanted) : wanted_(std::move(wanted)) {}

  /// Returns whether the text is seen now or was before.
  bool add(ByteSpan bytes);
  bool seen() const { return seen_; }
  std::uint64_t count() const { return count_; }
  /// At most the last 4 096 bytes.
  const std::string& end() const { return end_; }

 private:
  std::string wanted_, end_, tail_;  // tail_: what a beginning of the text may be in
  std::uint64_t count_ = 0;
  bool seen_ = false;
};

}  // namespace imprimo::console
