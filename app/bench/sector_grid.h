// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPoint>
#include <QRect>
#include <QSize>
#include <algorithm>
#include <cstdint>
#include <optional>

namespace imprimo::app {

/// Where the tiles of a sector map are. Painting and hit testing read the same one. All blocks are always on it: where
/// one tile each does not fit, a tile stands for a power of two of them.
struct SectorGrid {
  QRect area;  ///< of the tiles; row labels stand left of it
  int columns = 64;
  int rows = 0;
  int rowHeight = 0;
  std::size_t blocks = 0;
  std::size_t blocksPerTile = 1;
  int tiles = 0;

  static SectorGrid fit(const QRect& area, std::size_t blocks);
  QRect rectOf(int tile) const;
  std::optional<int> at(QPoint point) const;
  int tileOf(std::size_t block) const { return static_cast<int>(block / blocksPerTile); }
  /// The first block of a tile, and one past its last.
  std::size_t firstBlock(int tile) const { return static_cast<std::size_t>(tile) * blocksPerTile; }
  std::size_t endBlock(int tile) const { return std::min(blocks, firstBlock(tile) + blocksPerTile); }
};

}  // namespace imprimo::app
