// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/heard_text.h"

namespace imprimo::console {

bool HeardText::add(ByteSpan bytes) {
  constexpr std::size_t kKept = 4096;
  const std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  count_ += bytes.size();
  end_ += text;
  if (end_.size() > kKept) end_.erase(0, end_.size() - kKept);
  if (seen_ || wanted_.empty()) return seen_;
  tail_ += text;
  seen_ = tail_.find(wanted_) != std::string::npos;
  if (tail_.size() >= wanted_.size()) tail_.erase(0, tail_.size() - (wanted_.size() - 1));
  return seen_;
}

}  // namespace imprimo::console
