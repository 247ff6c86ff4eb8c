// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPoint>
#include <QRect>
#include <optional>

namespace imprimo::app {

enum class Lane { Planned, Device };

/// Where the bytes of the comparison are: address in the middle, planned left, on the part right, texts outside.
/// Painting and hit testing read the same one.
struct ByteLayout {
  int width = 0, height = 0;
  int charWidth = 7, rowHeight = 17, top = 26;
  int perRow = 8;
  int rows = 0;

  static ByteLayout fit(int width, int height, int charWidth, int rowHeight);

  QRect hexRect(Lane lane, int row, int column) const;
  QRect textRect(Lane lane, int row, int column) const;
  QRect addressRect(int row) const;
  QRect gutter() const;  ///< the strip of the addresses
  QRect laneRect(Lane lane) const;

  struct Hit {
    Lane lane;
    int row, column;
  };
  std::optional<Hit> at(QPoint point) const;

 private:
  int hexLeft(Lane lane) const;
  int textLeft(Lane lane) const;
  int hexCell() const { return charWidth * 3; }
  int addressWidth() const { return charWidth * 12; }
  int middle() const { return width / 2; }
};

}  // namespace imprimo::app
