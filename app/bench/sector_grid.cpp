// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/sector_grid.h"

#include <algorithm>

namespace imprimo::app {
namespace {
constexpr int kLeastRow = 15;
constexpr int kMostRow = 26;
constexpr int kGapX = 1;
constexpr int kGapY = 3;
}  // namespace

SectorGrid SectorGrid::fit(const QRect& area, std::size_t blocks) {
  SectorGrid grid;
  grid.area = area;
  grid.blocks = blocks;
  if (blocks == 0 || area.width() < 64 || area.height() < kLeastRow) return grid;
  // Rows of a power of two, so that each begins at a round address.
  while (grid.columns < 512 && area.width() / (grid.columns * 2) >= 9) grid.columns *= 2;
  const auto rowsThatFit = static_cast<std::size_t>(area.height() / kLeastRow);
  const auto columns = static_cast<std::size_t>(grid.columns);
  const auto tilesNow = [&] { return (blocks + grid.blocksPerTile - 1) / grid.blocksPerTile; };
  while ((tilesNow() + columns - 1) / columns > rowsThatFit) grid.blocksPerTile *= 2;
  grid.tiles = static_cast<int>(tilesNow());
  grid.rows = (grid.tiles + grid.columns - 1) / grid.columns;
  grid.rowHeight = std::min(kMostRow, area.height() / grid.rows);
  return grid;
}

QRect SectorGrid::rectOf(int tile) const {
  const int row = tile / columns;
  const int column = tile % columns;
  const int left = area.left() + column * area.width() / columns;
  const int right = area.left() + (column + 1) * area.width() / columns;
  return {left, area.top() + row * rowHeight, right - left - kGapX, rowHeight - kGapY};
}

std::optional<int> SectorGrid::at(QPoint point) const {
  if (tiles == 0 || !area.contains(point)) return std::nullopt;
  const int row = (point.y() - area.top()) / rowHeight;
  // The column by division may be one off, since widths are rounded; the rectangles decide.
  const int guess = (point.x() - area.left()) * columns / area.width();
  for (const int column : {guess, guess + 1, guess - 1}) {
    const int tile = row * columns + column;
    if (column < 0 || column >= columns || tile < 0 || tile >= tiles) continue;
    if (rectOf(tile).adjusted(0, 0, kGapX, kGapY).contains(point)) return tile;
  }
  return std::nullopt;
}

}  // namespace imprimo::app
