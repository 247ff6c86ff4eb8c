// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/geometry.h"

#include <fmt/format.h>

#include <bit>
#include <numeric>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::memory {

Geometry::Region Geometry::region(std::size_t index) const {
  if (regions.empty()) return {whole(), blockSize(), ~0u};
  const EraseRegion& r = regions[index];
  const std::uint64_t end = index + 1 < regions.size() ? regions[index + 1].begin : whole().end;
  return {{r.begin, end}, erase[static_cast<std::size_t>(std::countr_zero(r.types))].size, r.types};
}

Geometry::Region Geometry::regionAt(std::uint64_t address) const {
  std::size_t index = 0;
  while (index + 1 < regions.size() && regions[index + 1].begin <= address) ++index;
  return region(index);
}

std::size_t Geometry::blockCount() const {
  std::size_t count = 0;
  for (std::size_t i = 0; i < regionCount(); ++i) count += region(i).blocks();
  return count;
}

AddressRange Geometry::block(std::size_t index) const {
  for (std::size_t i = 0; i < regionCount(); ++i) {
    const Region r = region(i);
    const std::size_t blocks = r.blocks();
    if (index < blocks || i + 1 == regionCount()) {
      const std::uint64_t begin = (r.range.begin / r.block + index) * r.block;
      return r.range.cut({begin, begin + r.block});
    }
    index -= blocks;
  }
  return {};
}

std::size_t Geometry::blockIndex(std::uint64_t address) const {
  std::size_t before = 0;
  for (std::size_t i = 0;; ++i) {
    const Region r = region(i);
    if (address < r.range.end || i + 1 == regionCount()) return before + address / r.block - r.range.begin / r.block;
    before += r.blocks();
  }
}

AddressRange Geometry::blockAt(std::uint64_t address) const {
  const Region r = regionAt(address);
  const std::uint64_t begin = address / r.block * r.block;
  return r.range.cut({begin, begin + r.block});
}

AddressRange Geometry::roundedToBlocks(const AddressRange& range) const {
  if (range.empty()) return range;
  return {blockAt(range.begin).begin, std::min(whole().end, blockAt(range.end - 1).end)};
}

AddressRange Geometry::erasedBy(std::size_t type, std::uint64_t address) const {
  const Region r = regionAt(address);
  if ((r.types >> type & 1) == 0) return {};
  const std::uint64_t begin = address / erase[type].size * erase[type].size;
  return r.range.cut({begin, begin + erase[type].size});
}

namespace {

/// Sorts the erase types and brings the regions' bits along. Returns which one each of them was.
std::vector<std::size_t> sortTypes(Geometry& geometry) {
  std::vector<std::size_t> order(geometry.erase.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return geometry.erase[a].size < geometry.erase[b].size; });
  std::vector<EraseType> sorted;
  sorted.reserve(order.size());
  for (const std::size_t old : order) sorted.push_back(geometry.erase[old]);
  geometry.erase = std::move(sorted);
  for (EraseRegion& region : geometry.regions) {
    unsigned types = 0;
    for (std::size_t i = 0; i < order.size(); ++i) types |= (region.types >> order[i] & 1u) << i;
    region.types = types;
  }
  return order;
}

/// Of two commands for blocks of one size the first is used. False where regions tell them apart.
bool dropDoubles(Geometry& geometry, std::vector<std::size_t>& order) {
  for (std::size_t i = 1; i < geometry.erase.size();) {
    if (geometry.erase[i].size != geometry.erase[i - 1].size) {
      ++i;
      continue;
    }
    if (!geometry.regions.empty()) return false;
    geometry.erase.erase(geometry.erase.begin() + static_cast<std::ptrdiff_t>(i));
    order.erase(order.begin() + static_cast<std::ptrdiff_t>(i));
  }
  return true;
}

}  // namespace

std::vector<std::size_t> checkGeometry(Geometry& geometry, const std::string& source) {
  const auto fail = [&](const std::string& what) {
    throw Error(ErrorKind::UnknownFlash, fmt::format("{}: {}", source, what),
                "Describe the part with a part card, \"part\" in the sheet.");
  };
  // 1 TiB is past any memory here and far from where sums of addresses would wrap.
  if (geometry.size == 0 || geometry.size > 1ull << 40)
    fail(fmt::format("a size of {} bytes cannot be", geometry.size));
  if (geometry.page == 0 || !std::has_single_bit(geometry.page))
    fail(fmt::format("a page of {} bytes cannot be", geometry.page));
  if (geometry.erase.empty()) fail("it names no erase command");
  if (geometry.erase.size() > 16) fail("it names more than sixteen erase commands");
  std::vector<std::size_t> order = sortTypes(geometry);
  if (!dropDoubles(geometry, order)) fail("it has regions and two erase commands for blocks of one size");
  for (const EraseType& type : geometry.erase) {
    if (!std::has_single_bit(type.size) || type.size > geometry.size || type.size < geometry.page) {
      fail(fmt::format("an erase block of {} cannot be in a part of {}", sizeText(type.size), sizeText(geometry.size)));
    }
  }
  if (geometry.size % geometry.blockSize() != 0) {
    fail(fmt::format("{} is no whole number of blocks of {}", sizeText(geometry.size), sizeText(geometry.blockSize())));
  }
  if (geometry.size / geometry.blockSize() > 1u << 22)
    fail(fmt::format("{} of {} cannot be", sizeText(geometry.size),
                     countText(geometry.size / geometry.blockSize(), "block")));
  const unsigned all = (1u << geometry.erase.size()) - 1;
  std::uint64_t after = 0;
  for (std::size_t i = 0; i < geometry.regions.size(); ++i) {
    const EraseRegion& region = geometry.regions[i];
    if (region.begin < after || (i == 0) != (region.begin == geometry.base) || region.begin >= geometry.whole().end)
      fail(fmt::format("its regions are out of order at {}", hexAddress(region.begin)));
    if (region.begin % geometry.page != 0)
      fail(fmt::format("a region begins inside a page, at {}", hexAddress(region.begin)));
    if ((region.types & all) == 0 || (region.types & ~all) != 0)
      fail(fmt::format("no erase command works at {}", hexAddress(region.begin)));
    after = region.begin + 1;
  }
  if (geometry.regions.size() == 1 && geometry.regions[0].types == all) geometry.regions.clear();
  return order;
}

}  // namespace imprimo::memory
