// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPoint>
#include <QRect>
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>

namespace imprimo::app {

/// Where the cells of a bit field are: a bitstream from top left, row after row. Painting and hit testing read the same
/// one. Where single bits fit, a cell is one; otherwise it stands for the same number of them, the last for the rest.
struct BitFieldGrid {
  QRect area;
  int columns = 0, rows = 0;
  int cell = 1;  ///< pixels, each way
  std::uint64_t bits = 0, bitsPerCell = 1;

  /// `rowBits` is how many bits belong together, where that is known (a row of fuses); 0 otherwise.
  static BitFieldGrid fit(const QRect& area, std::uint64_t bits, std::uint64_t rowBits) {
    BitFieldGrid g;
    g.area = area;
    g.bits = bits;
    if (bits == 0 || area.width() < 8 || area.height() < 8) return g;
    const auto width = static_cast<std::uint64_t>(area.width()), height = static_cast<std::uint64_t>(area.height());
    const std::uint64_t own = rowBits > 0 ? (bits + rowBits - 1) / rowBits : 0;
    if (own > 0 && rowBits <= width && own <= height) {
      g.columns = static_cast<int>(rowBits);
      g.rows = static_cast<int>(own);
      g.cell = static_cast<int>(std::min(width / rowBits, height / own));
      g.area.setLeft(area.left() + (area.width() - g.columns * g.cell) / 2);
      return g;
    }
    // Cells of three pixels are seen one by one; there are as many as fit.
    constexpr int kCell = 3;
    g.cell = kCell;
    g.columns = std::max(1, area.width() / kCell);
    const auto most =
        static_cast<std::uint64_t>(g.columns) * static_cast<std::uint64_t>(std::max(1, area.height() / kCell));
    g.bitsPerCell = (bits + most - 1) / most;
    const std::uint64_t cells = (bits + g.bitsPerCell - 1) / g.bitsPerCell;
    g.rows =
        static_cast<int>((cells + static_cast<std::uint64_t>(g.columns) - 1) / static_cast<std::uint64_t>(g.columns));
    return g;
  }

  int cells() const { return columns == 0 ? 0 : static_cast<int>((bits + bitsPerCell - 1) / bitsPerCell); }
  QRect rectOf(int i) const { return {area.left() + i % columns * cell, area.top() + i / columns * cell, cell, cell}; }
  std::optional<int> at(QPoint point) const {
    if (columns == 0 || point.x() < area.left() || point.y() < area.top()) return std::nullopt;
    const int column = (point.x() - area.left()) / cell, row = (point.y() - area.top()) / cell;
    const int i = row * columns + column;
    return column < columns && row < rows && i < cells() ? std::optional(i) : std::nullopt;
  }
  /// Half-open.
  std::uint64_t firstBit(int i) const { return static_cast<std::uint64_t>(i) * bitsPerCell; }
  std::uint64_t endBit(int i) const { return std::min(bits, firstBit(i + 1)); }
};

}  // namespace imprimo::app
