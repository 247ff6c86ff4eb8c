// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/memory_image.h"

#include <algorithm>

namespace imprimo {

std::uint64_t MemoryImage::byteCount() const {
  std::uint64_t count = 0;
  for (const auto& [begin, bytes] : segments_) count += bytes.size();
  return count;
}

AddressRange MemoryImage::extent() const {
  if (segments_.empty()) return {};
  const auto& [begin, bytes] = *segments_.rbegin();
  return {segments_.begin()->first, begin + bytes.size()};
}

/// The first segment that has a byte at or after range.begin.
MemoryImage::Map::const_iterator MemoryImage::firstTouching(const AddressRange& range) const {
  auto it = segments_.upper_bound(range.begin);
  if (it != segments_.begin()) {
    const auto before = std::prev(it);
    if (before->first + before->second.size() > range.begin) return before;
  }
  return it;
}

void MemoryImage::append(SharedBytes& into, ByteSpan bytes) {
  // Doubling would take a large image twice; room that is only reserved is not taken from anybody.
  constexpr std::size_t kLarge = 1 << 20;
  const std::size_t size = into.size() + bytes.size();
  Bytes& own = into.own(size);
  if (size > own.capacity() && size > kLarge) own.reserve(std::max<std::size_t>(size + size / 4, expected_));
  own.insert(own.end(), bytes.begin(), bytes.end());
}

bool MemoryImage::extend(std::uint64_t address, ByteSpan bytes) {
  if (segments_.empty()) {
    if (!bytes.empty()) segments_.emplace(address, bytes);
    return true;
  }
  auto& [begin, last] = *std::prev(segments_.end());
  const std::uint64_t end = begin + last.size();
  if (address < end) return false;
  if (address == end) {
    append(last, bytes);
  } else if (!bytes.empty()) {
    segments_.emplace_hint(segments_.end(), address, bytes);
  }
  return true;
}

void MemoryImage::write(std::uint64_t address, Bytes&& bytes) {
  take(address, SharedBytes(std::move(bytes)));
}

void MemoryImage::take(std::uint64_t address, SharedBytes&& bytes) {
  if (bytes.size() == 0) return;
  const auto next = segments_.lower_bound(address);
  const bool meetsNext = next != segments_.end() && next->first - address <= bytes.size();
  const bool meetsLast =
      next != segments_.begin() && std::prev(next)->first + std::prev(next)->second.size() >= address;
  if (meetsNext || meetsLast) return write(address, ByteSpan(bytes.get()));
  segments_.emplace_hint(next, address, std::move(bytes));
}

void MemoryImage::write(std::uint64_t address, ByteSpan bytes) {
  if (bytes.empty()) return;
  const AddressRange range{address, address + bytes.size()};

  // Files rise: most of what comes goes on where the last came.
  if (extend(address, bytes)) return;

  // Find the segment that the new bytes fall into or go on from; otherwise start one.
  auto it = segments_.upper_bound(address);
  if (it != segments_.begin() && std::prev(it)->first + std::prev(it)->second.size() >= address) {
    --it;
  } else {
    it = segments_.emplace_hint(it, address, Bytes{});
  }
  SharedBytes& into = it->second;
  const std::size_t offset = address - it->first;
  if (into.size() < offset + bytes.size()) {
    into.keepFirst(offset);
    append(into, bytes);
  } else {
    std::copy(bytes.begin(), bytes.end(), into.own().begin() + static_cast<std::ptrdiff_t>(offset));
    return;
  }

  // Swallow what lies behind: overwritten parts go, the rest is joined on.
  for (auto next = std::next(it); next != segments_.end() && next->first <= range.end;) {
    const std::uint64_t nextEnd = next->first + next->second.size();
    if (nextEnd > range.end) {
      const Bytes& behind = next->second.get();
      Bytes& own = into.own();
      own.insert(own.end(), behind.begin() + static_cast<std::ptrdiff_t>(range.end - next->first), behind.end());
    }
    next = segments_.erase(next);
  }
}

void MemoryImage::write(const MemoryImage& other) {
  for (const auto& [begin, bytes] : other.segments_) take(begin, SharedBytes(bytes));
}

void MemoryImage::write(MemoryImage&& other) {
  if (empty()) {
    segments_ = std::move(other.segments_);
    other.segments_.clear();
    return;
  }
  while (!other.segments_.empty()) {
    auto node = other.segments_.extract(other.segments_.begin());
    take(node.key(), std::move(node.mapped()));
  }
}

void MemoryImage::move(std::uint64_t by) {
  Map moved;
  while (!segments_.empty()) {
    auto node = segments_.extract(segments_.begin());
    node.key() += by;
    moved.insert(moved.end(), std::move(node));
  }
  segments_ = std::move(moved);
}

void MemoryImage::moveUp(std::uint64_t offset) {
  if (offset != 0) move(offset);
}

void MemoryImage::moveDown(std::uint64_t offset) {
  if (offset != 0) move(0 - offset);
}

void MemoryImage::erase(const AddressRange& range) {
  if (range.empty()) return;
  auto it = segments_.upper_bound(range.begin);
  if (it != segments_.begin()) --it;
  while (it != segments_.end() && it->first < range.end) {
    const std::uint64_t begin = it->first;
    const std::uint64_t end = begin + it->second.size();
    if (end <= range.begin) {
      ++it;
      continue;
    }
    Bytes tail;
    const Bytes& bytes = it->second.get();
    if (end > range.end) tail.assign(bytes.begin() + static_cast<std::ptrdiff_t>(range.end - begin), bytes.end());
    if (begin < range.begin) {
      it->second.keepFirst(range.begin - begin);
      ++it;
    } else {
      it = segments_.erase(it);
    }
    if (!tail.empty()) segments_.emplace_hint(it, range.end, std::move(tail));
  }
}

std::vector<MemoryImage::Segment> MemoryImage::segments() const {
  std::vector<Segment> list;
  for (const auto& [begin, bytes] : segments_) list.push_back({begin, bytes.get()});
  return list;
}

std::vector<MemoryImage::Segment> MemoryImage::segmentsIn(const AddressRange& range) const {
  std::vector<Segment> list;
  for (auto it = firstTouching(range); it != segments_.end() && it->first < range.end; ++it) {
    const AddressRange part = range.cut({it->first, it->first + it->second.size()});
    if (!part.empty())
      list.push_back({part.begin, ByteSpan(it->second.get()).subspan(part.begin - it->first, part.size())});
  }
  return list;
}

bool MemoryImage::covers(const AddressRange& range) const {
  if (range.empty()) return true;
  const auto it = firstTouching(range);
  return it != segments_.end() && it->first <= range.begin && it->first + it->second.size() >= range.end;
}

bool MemoryImage::touches(const AddressRange& range) const {
  if (range.empty()) return false;
  const auto it = firstTouching(range);
  return it != segments_.end() && it->first < range.end;
}

std::optional<std::uint8_t> MemoryImage::at(std::uint64_t address) const {
  const auto it = firstTouching({address, address + 1});
  if (it == segments_.end() || it->first > address) return std::nullopt;
  return it->second.get()[address - it->first];
}

void MemoryImage::copyTo(std::uint64_t address, std::span<std::uint8_t> out) const {
  for (const Segment& s : segmentsIn({address, address + out.size()})) {
    std::copy(s.bytes.begin(), s.bytes.end(), out.begin() + static_cast<std::ptrdiff_t>(s.begin - address));
  }
}

Bytes MemoryImage::bytes(const AddressRange& range, std::uint8_t fill) const {
  Bytes out(range.size(), fill);
  copyTo(range.begin, out);
  return out;
}

}  // namespace imprimo
