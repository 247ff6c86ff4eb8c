// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/geometry.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::memory {

AddressRange Geometry::roundedToBlocks(const AddressRange& range) const {
  if (range.empty()) return range;
  return {blockAt(range.begin).begin, std::min(size, blockAt(range.end - 1).end)};
}

void checkGeometry(Geometry& geometry, const std::string& source) {
  const auto fail = [&](const std::string& what) {
    throw Error(ErrorKind::UnknownFlash, fmt::format("{}: {}", source, what),
                "Describe the part with a part card, \"part\" in the sheet.");
  };
  // 1 TiB is past any serial flash and far from where sums of addresses would wrap.
  if (geometry.size == 0 || geometry.size > 1ull << 40)
    fail(fmt::format("a size of {} bytes cannot be", geometry.size));
  if (geometry.page == 0 || !std::has_single_bit(geometry.page))
    fail(fmt::format("a page of {} bytes cannot be", geometry.page));
  if (geometry.erase.empty()) fail("it names no erase command");
  std::sort(geometry.erase.begin(), geometry.erase.end(),
            [](const EraseType& a, const EraseType& b) { return a.size < b.size; });
  for (const EraseType& type : geometry.erase) {
    if (!std::has_single_bit(type.size) || type.size > geometry.size || type.size < geometry.page) {
      fail(fmt::format("an erase block of {} cannot be in a part of {}", sizeText(type.size), sizeText(geometry.size)));
    }
  }
  if (geometry.size % geometry.blockSize() != 0) {
    fail(fmt::format("{} is no whole number of blocks of {}", sizeText(geometry.size), sizeText(geometry.blockSize())));
  }
}

std::string FlashId::text() const {
  return fmt::format("0x{:06x}", value());
}

}  // namespace imprimo::memory
