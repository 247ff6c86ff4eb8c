// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/record_rows.h"

#include <algorithm>

namespace imprimo {

void forEachRow(const MemoryImage& image, std::size_t length, const std::optional<Filling>& filling,
                const std::function<void(std::uint64_t, ByteSpan)>& row) {
  const auto rowEnd = [length](std::uint64_t at, std::uint64_t last) {
    const std::uint64_t next = at / length * length + length;
    return std::min(next > at ? next : last, last);
  };
  if (filling) {
    Bytes bytes;
    for (std::uint64_t at = filling->range.begin; at < filling->range.end; at += bytes.size()) {
      bytes.assign(rowEnd(at, filling->range.end) - at, filling->fill);
      image.copyTo(at, bytes);
      row(at, bytes);
    }
    return;
  }
  for (const MemoryImage::Segment& segment : image.segments()) {
    for (std::uint64_t at = segment.begin; at < segment.range().end;) {
      const std::uint64_t end = rowEnd(at, segment.range().end);
      row(at, segment.bytes.subspan(at - segment.begin, end - at));
      at = end;
    }
  }
}

}  // namespace imprimo
