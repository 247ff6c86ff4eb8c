// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/flash/sfdp.h"

namespace imprimo::flash {

/// Bits high to low of a DWORD.
constexpr std::uint32_t field(std::uint32_t dword, int high, int low) {
  return dword >> low & (high - low == 31 ? ~0u : (1u << (high - low + 1)) - 1);
}

/// A DWORD of a table, counted from 1; zeros behind its end, which is how earlier editions read.
struct Dwords {
  const std::vector<std::uint32_t>& all;
  bool has(std::size_t n) const { return all.size() >= n; }
  std::uint32_t operator[](std::size_t n) const { return has(n) ? all[n - 1] : 0; }
};

/// Geometry and facts of the basic table, JESD216F 6.4, with the 4-byte commands of table 0xFF84 (6.6) where there is
/// one. The erase types stand in the table's order: `typeAt` tells for each of the four its index in Geometry::erase.
struct BasicGeometry {
  memory::Geometry geometry;
  NorCommands commands;
  FlashFacts facts;
  std::optional<std::size_t> typeAt[4];
};
BasicGeometry basicGeometry(const SfdpTable& basic, const SfdpTable* fourByteCommands);

/// The sector map, JESD216F 6.5: asks the part for its configuration and puts the regions into the geometry. Throws
/// UnknownFlash for a map that does not cover the part or does not end.
void readSectorMap(const SfdpTable& map, const SfdpAccess& access, BasicGeometry& basic);

}  // namespace imprimo::flash
