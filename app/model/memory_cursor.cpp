// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/memory_cursor.h"

#include <algorithm>

namespace imprimo::app {

void MemoryCursor::reset(std::uint64_t size) {
  size_ = size;
  position_ = 0;
  history_.clear();
  emit moved(0);
}

void MemoryCursor::moveTo(std::uint64_t address) {
  const std::uint64_t inside = size_ == 0 ? 0 : std::min(address, size_ - 1);
  if (inside == position_) return;
  position_ = inside;
  emit moved(position_);
}

void MemoryCursor::jumpTo(std::uint64_t address) {
  history_.push_back(position_);
  if (history_.size() > 100) history_.erase(history_.begin());
  moveTo(address);
}

void MemoryCursor::back() {
  if (history_.empty()) return;
  const std::uint64_t address = history_.back();
  history_.pop_back();
  moveTo(address);
}

}  // namespace imprimo::app
