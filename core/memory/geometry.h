// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstdint>
#include <string>
#include <vector>

#include "core/base/address_range.h"

namespace imprimo::memory {

/// One erase command of a part.
struct EraseType {
  std::uint64_t size = 0;  ///< bytes; blocks begin at multiples of it
  double typical = 0;      ///< seconds
  double longest = 0;
  friend bool operator==(const EraseType&, const EraseType&) = default;
};

/// Which erase commands work from `begin` to the next region's begin. A command whose block reaches past the region
/// erases only what lies in it (JESD216F 6.5, sector map).
struct EraseRegion {
  std::uint64_t begin = 0;
  unsigned types = 0;  ///< bit i: Geometry::erase[i]
  friend bool operator==(const EraseRegion&, const EraseRegion&) = default;
};

/// Which bytes a memory has, what of them is erased and programmed together, and how long that takes.
struct Geometry {
  std::uint64_t base = 0;            ///< its first address
  std::uint64_t size = 0;            ///< bytes
  std::uint32_t page = 256;          ///< most bytes in one program command; pages begin at multiples of it
  std::vector<EraseType> erase;      ///< by size, smallest first; at least one
  std::vector<EraseRegion> regions;  ///< sorted, the first at base; empty: every erase command works everywhere
  bool overwrites = false;           ///< bytes are written as they are, and nothing is erased: RAM
  bool programsOnce = false;         ///< a page that holds anything is erased before it is programmed again
  double pageTypical = 0;            ///< seconds to program a page
  double pageLongest = 0;
  bool timesAssumed = false;        ///< the part does not say its times; these are cautious guesses
  std::uint64_t reachable = ~0ull;  ///< only so many bytes from the start can be addressed

  /// The smallest that can be erased anywhere.
  std::uint64_t blockSize() const { return erase.front().size; }
  bool uniform() const { return regions.empty(); }
  AddressRange whole() const { return {base, base + size}; }
  /// Of that, what can be addressed.
  AddressRange reach() const { return {base, base + std::min(size, reachable)}; }

  /// Blocks are the smallest that can be erased where they are; they cover the part without gaps.
  std::size_t blockCount() const;
  AddressRange block(std::size_t index) const;
  std::size_t blockIndex(std::uint64_t address) const;
  AddressRange blockAt(std::uint64_t address) const;
  /// `range` made larger until it begins and ends with a block.
  AddressRange roundedToBlocks(const AddressRange& range) const;
  /// What erase[type] erases around `address`; empty where that command does not work.
  AddressRange erasedBy(std::size_t type, std::uint64_t address) const;

  friend bool operator==(const Geometry&, const Geometry&) = default;

 private:
  struct Region {
    AddressRange range;
    std::uint64_t block;
    unsigned types;
    std::size_t blocks() const { return (range.end + block - 1) / block - range.begin / block; }
  };
  std::size_t regionCount() const { return regions.empty() ? 1 : regions.size(); }
  Region region(std::size_t index) const;
  Region regionAt(std::uint64_t address) const;
};

/// Throws UnknownFlash saying what does not fit together (no erase type, sizes that are no powers of two, …), and sorts
/// the erase types; returns for each of them which one it was before. A list of regions that says nothing is left out.
std::vector<std::size_t> checkGeometry(Geometry& geometry, const std::string& source);

}  // namespace imprimo::memory
