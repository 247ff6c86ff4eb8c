// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/compare.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/base/number.h"

namespace imprimo {
namespace {

class Comparer {
 public:
  void differ(const AddressRange& range) {
    found.bytes += range.size();
    if (found.rangeCount > 0 && end_ == range.begin) {
      if (!found.more) found.ranges.back().end = range.end;
    } else {
      ++found.rangeCount;
      found.more = found.ranges.size() == kMostDifferentRanges;
      if (!found.more) found.ranges.push_back(range);
    }
    end_ = range.end;
  }

  void compare(std::uint64_t at, ByteSpan a, ByteSpan b) {
    constexpr std::size_t kStep = 64;
    for (std::size_t i = 0; i < a.size();) {
      const std::size_t step = std::min(kStep, a.size() - i);
      if (std::memcmp(a.data() + i, b.data() + i, step) == 0) {
        found.same += step;
        i += step;
        continue;
      }
      for (const std::size_t end = i + step; i < end; ++i) {
        if (a[i] == b[i]) {
          ++found.same;
        } else {
          differ({at + i, at + i + 1});
        }
      }
    }
  }

  Differences found;

 private:
  std::uint64_t end_ = 0;
};

std::string rowText(const MemoryImage& image, const AddressRange& row) {
  std::string text;
  for (std::uint64_t at = row.begin; at < row.end; ++at) {
    const auto value = image.at(at);
    text += value ? fmt::format("{:02X} ", *value) : ".. ";
  }
  text.pop_back();
  return text;
}

}  // namespace

Differences compareImages(const MemoryImage& first, const MemoryImage& second) {
  // Between two neighbouring edges both images are all there or not there at all.
  std::vector<std::uint64_t> edges;
  for (const MemoryImage* image : {&first, &second}) {
    for (const MemoryImage::Segment& s : image->segments()) {
      edges.push_back(s.begin);
      edges.push_back(s.range().end);
    }
  }
  std::sort(edges.begin(), edges.end());
  edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
  Comparer comparer;
  for (std::size_t i = 0; i + 1 < edges.size(); ++i) {
    const AddressRange range{edges[i], edges[i + 1]};
    const auto a = first.segmentsIn(range), b = second.segmentsIn(range);
    if (a.empty() && b.empty()) continue;
    if (!a.empty() && !b.empty()) {
      comparer.compare(range.begin, a.front().bytes, b.front().bytes);
      continue;
    }
    (a.empty() ? comparer.found.onlySecond : comparer.found.onlyFirst) += range.size();
    comparer.differ(range);
  }
  return std::move(comparer.found);
}

std::string differenceReport(const MemoryImage& first, const MemoryImage& second, const Differences& found,
                             const std::string& firstName, const std::string& secondName, std::size_t rows) {
  constexpr std::uint64_t kRow = 8;
  std::string text = fmt::format("first:  {}\nsecond: {}\n", firstName, secondName);
  if (found.bytes == 0) return text + fmt::format("the same: {}\n", sizeText(found.same));
  for (const AddressRange& range : found.ranges) {
    text += fmt::format("\n{}  {}\n", rangeText(range), sizeText(range.size()));
    std::size_t shown = 0;
    for (std::uint64_t at = range.begin; at < range.end && shown < rows; at += kRow, ++shown) {
      const AddressRange row = range.cut({at, at + kRow});
      text += fmt::format("  {}  {:<23}  |  {}\n", hexAddress(at), rowText(first, row), rowText(second, row));
    }
    if (range.size() > shown * kRow && rows > 0) {
      text += fmt::format("  and {} more\n", countText(range.size() - shown * kRow, "byte"));
    }
  }
  if (found.more) text += fmt::format("\nand {} more ranges\n", found.rangeCount - found.ranges.size());
  text += fmt::format("\n{} {} in {}", countText(found.bytes, "byte"), found.bytes == 1 ? "differs" : "differ",
                      countText(found.rangeCount, "range"));
  if (found.onlyFirst + found.onlySecond > 0) {
    text += fmt::format("; {} only in the first, {} only in the second", found.onlyFirst, found.onlySecond);
  }
  return text + fmt::format("; {} the same\n", sizeText(found.same));
}

MemoryImage heldWhere(const MemoryImage& planned, const MemoryImage& contents) {
  MemoryImage held;
  for (const MemoryImage::Segment& s : planned.segments()) {
    for (const MemoryImage::Segment& h : contents.segmentsIn(s.range())) held.write(h.begin, h.bytes);
  }
  return held;
}

}  // namespace imprimo
