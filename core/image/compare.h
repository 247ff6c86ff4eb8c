// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/image/memory_image.h"

namespace imprimo {

/// Where two images differ: another byte, or a byte in only one of them.
struct Differences {
  std::vector<AddressRange> ranges;  ///< in order, and apart; no more than kMostDifferentRanges
  bool more = false;                 ///< there are more ranges than are listed; the counts are of all
  std::uint64_t bytes = 0;           ///< that differ, those of only one image with them
  std::uint64_t onlyFirst = 0, onlySecond = 0;
  std::uint64_t same = 0;
  std::uint64_t rangeCount = 0;
};
constexpr std::size_t kMostDifferentRanges = 1 << 16;

Differences compareImages(const MemoryImage& first, const MemoryImage& second);

/// What `contents` holds where `planned` has bytes.
MemoryImage heldWhere(const MemoryImage& planned, const MemoryImage& contents);

/// The report as text: a line for each range and up to `rows` rows of bytes below it, first and second side by side.
std::string differenceReport(const MemoryImage& first, const MemoryImage& second, const Differences& found,
                             const std::string& firstName, const std::string& secondName, std::size_t rows);

}  // namespace imprimo
