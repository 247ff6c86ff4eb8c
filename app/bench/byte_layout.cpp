// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/byte_layout.h"

#include <algorithm>

namespace imprimo::app {

ByteLayout ByteLayout::fit(int width, int height, int charWidth, int rowHeight) {
  ByteLayout layout;
  layout.width = width;
  layout.height = height;
  layout.charWidth = std::max(1, charWidth);
  layout.rowHeight = std::max(1, rowHeight);
  // One byte takes three characters as hex and one as text, in two lanes; addresses and gaps take about 24.
  const auto need = [&](int bytes) { return layout.charWidth * (2 * bytes * 4 + 24); };
  layout.perRow = need(16) <= width ? 16 : 8;
  layout.rows = std::max(1, (height - layout.top - 6) / layout.rowHeight);
  return layout;
}

int ByteLayout::hexLeft(Lane lane) const {
  return lane == Lane::Planned ? middle() - addressWidth() / 2 - charWidth - perRow * hexCell()
                               : middle() + addressWidth() / 2 + charWidth * 2;
}

int ByteLayout::textLeft(Lane lane) const {
  return lane == Lane::Planned ? hexLeft(lane) - charWidth * (perRow + 2)
                               : hexLeft(lane) + perRow * hexCell() + charWidth;
}

QRect ByteLayout::hexRect(Lane lane, int row, int column) const {
  return {hexLeft(lane) + column * hexCell(), top + row * rowHeight, charWidth * 2, rowHeight};
}

QRect ByteLayout::textRect(Lane lane, int row, int column) const {
  return {textLeft(lane) + column * charWidth, top + row * rowHeight, charWidth, rowHeight};
}

QRect ByteLayout::addressRect(int row) const {
  return {middle() - addressWidth() / 2, top + row * rowHeight, addressWidth(), rowHeight};
}

QRect ByteLayout::gutter() const {
  return {middle() - addressWidth() / 2, 0, addressWidth(), height};
}

QRect ByteLayout::laneRect(Lane lane) const {
  return {hexLeft(lane), 0, perRow * hexCell() - charWidth, top};
}

std::optional<ByteLayout::Hit> ByteLayout::at(QPoint point) const {
  const int row = (point.y() - top) / rowHeight;
  if (point.y() < top || row >= rows) return std::nullopt;
  for (const Lane lane : {Lane::Planned, Lane::Device}) {
    const int inHex = point.x() - hexLeft(lane) + charWidth / 2;
    if (inHex >= 0 && inHex < perRow * hexCell()) return Hit{lane, row, inHex / hexCell()};
    const int inText = point.x() - textLeft(lane);
    if (inText >= 0 && inText < perRow * charWidth) return Hit{lane, row, inText / charWidth};
  }
  return std::nullopt;
}

}  // namespace imprimo::app
