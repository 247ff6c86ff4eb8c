// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/range_set.h"

namespace imprimo {

void RangeSet::add(AddressRange range) {
  if (range.empty()) return;
  auto it = byBegin_.upper_bound(range.begin);
  if (it != byBegin_.begin() && std::prev(it)->second >= range.begin) --it;
  while (it != byBegin_.end() && it->first <= range.end) {
    range.begin = std::min(range.begin, it->first);
    range.end = std::max(range.end, it->second);
    it = byBegin_.erase(it);
  }
  byBegin_.emplace(range.begin, range.end);
}

void RangeSet::remove(const AddressRange& range) {
  if (range.empty()) return;
  auto it = byBegin_.upper_bound(range.begin);
  if (it != byBegin_.begin()) --it;
  while (it != byBegin_.end() && it->first < range.end) {
    const auto [begin, end] = *it;
    if (end <= range.begin) {
      ++it;
      continue;
    }
    it = byBegin_.erase(it);
    if (begin < range.begin) byBegin_.emplace(begin, range.begin);
    if (end > range.end) it = byBegin_.emplace(range.end, end).first;
  }
}

bool RangeSet::contains(const AddressRange& range) const {
  if (range.empty()) return true;
  const auto it = byBegin_.upper_bound(range.begin);
  return it != byBegin_.begin() && std::prev(it)->second >= range.end;
}

bool RangeSet::overlaps(const AddressRange& range) const {
  if (range.empty()) return false;
  const auto it = byBegin_.lower_bound(range.end);
  return it != byBegin_.begin() && std::prev(it)->second > range.begin;
}

std::uint64_t RangeSet::size() const {
  std::uint64_t sum = 0;
  for (const auto& [begin, end] : byBegin_) sum += end - begin;
  return sum;
}

std::vector<AddressRange> RangeSet::ranges() const {
  std::vector<AddressRange> list;
  for (const auto& [begin, end] : byBegin_) list.push_back({begin, end});
  return list;
}

}  // namespace imprimo
