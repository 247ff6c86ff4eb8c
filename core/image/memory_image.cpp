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

void MemoryImage::write(std::uint64_t address, ByteSpan bytes) {
  if (bytes.empty()) return;
  const AddressRange range{address, address + bytes.size()};

  // Find the segment that the new bytes fall into or go on from; otherwise start one.
  auto it = segments_.upper_bound(address);
  if (it != segments_.begin() && std::prev(it)->first + std::prev(it)->second.size() >= address) {
    --it;
  } else {
    it = segments_.emplace_hint(it, address, Bytes{});
  }
  Bytes& into = it->second;
  const std::size_t offset = address - it->first;
  if (into.size() < offset + bytes.size()) {
    into.resize(std::min<std::size_t>(into.size(), offset));
    // Room is taken in steps, so that a memory read piece by piece is not copied piece by piece.
    into.insert(into.end(), bytes.begin(), bytes.end());
  } else {
    std::copy(bytes.begin(), bytes.end(), into.begin() + static_cast<std::ptrdiff_t>(offset));
    return;
  }

  // Swallow what lies behind: overwritten parts go, the rest is joined on.
  for (auto next = std::next(it); next != segments_.end() && next->first <= range.end;) {
    const std::uint64_t nextEnd = next->first + next->second.size();
    if (nextEnd > range.end) {
      const auto keepFrom = static_cast<std::ptrdiff_t>(range.end - next->first);
      into.insert(into.end(), next->second.begin() + keepFrom, next->second.end());
    }
    next = segments_.erase(next);
  }
}

void MemoryImage::write(const MemoryImage& other) {
  for (const auto& [begin, bytes] : other.segments_) write(begin, bytes);
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
    if (end > range.end)
      tail.assign(it->second.begin() + static_cast<std::ptrdiff_t>(range.end - begin), it->second.end());
    if (begin < range.begin) {
      it->second.resize(range.begin - begin);
      ++it;
    } else {
      it = segments_.erase(it);
    }
    if (!tail.empty()) segments_.emplace_hint(it, range.end, std::move(tail));
  }
}

std::vector<MemoryImage::Segment> MemoryImage::segments() const {
  std::vector<Segment> list;
  for (const auto& [begin, bytes] : segments_) list.push_back({begin, bytes});
  return list;
}

std::vector<MemoryImage::Segment> MemoryImage::segmentsIn(const AddressRange& range) const {
  std::vector<Segment> list;
  for (auto it = firstTouching(range); it != segments_.end() && it->first < range.end; ++it) {
    const AddressRange part = range.cut({it->first, it->first + it->second.size()});
    if (!part.empty()) list.push_back({part.begin, ByteSpan(it->second).subspan(part.begin - it->first, part.size())});
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
  return it->second[address - it->first];
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
