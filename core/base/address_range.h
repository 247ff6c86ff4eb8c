// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstdint>

namespace imprimo {

/// Half-open [begin, end) in bytes from the start of the memory. Never wraps; begin == end is empty.
struct AddressRange {
  std::uint64_t begin = 0;
  std::uint64_t end = 0;

  constexpr std::uint64_t size() const { return end - begin; }
  constexpr bool empty() const { return begin == end; }
  constexpr bool contains(std::uint64_t address) const { return begin <= address && address < end; }
  constexpr bool contains(const AddressRange& r) const { return begin <= r.begin && r.end <= end; }
  constexpr bool overlaps(const AddressRange& r) const { return begin < r.end && r.begin < end; }
  /// The common part; empty (at an unspecified place) where there is none.
  constexpr AddressRange cut(const AddressRange& r) const {
    const std::uint64_t b = std::max(begin, r.begin);
    return {b, std::max(b, std::min(end, r.end))};
  }
  friend constexpr bool operator==(const AddressRange&, const AddressRange&) = default;
};

}  // namespace imprimo
