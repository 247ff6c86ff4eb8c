// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/memory_cursor.h"

#include <algorithm>

namespace imprimo::app {

void MemoryCursor::reset(const AddressRange& whole) {
  whole_ = whole;
  position_ = whole.begin;
  history_.clear();
  emit moved(position_);
}

void MemoryCursor::moveTo(std::uint64_t address) {
  const std::uint64_t inside = whole_.empty() ? 0 : std::clamp(address, whole_.begin, whole_.end - 1);
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
