// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QRect>
#include <QSize>
#include <optional>
#include <vector>

#include "core/base/address_range.h"

namespace imprimo::app {

/// Where addresses are on the ruler: low ones at the top, a strip for the pieces, their labels on its right. Painting
/// and hit testing read the same one.
struct RulerGeometry {
  QRect strip;
  AddressRange shown;  ///< what the strip's height stands for; never empty

  static RulerGeometry fit(const QSize& size, const AddressRange& shown, int charWidth);

  double yOf(std::uint64_t address) const;
  /// The address at a height; heights outside the strip give its ends.
  std::uint64_t addressAt(double y) const;
  /// At least `least` pixels high, so that a small piece can be seen and taken; empty when it is not shown.
  QRect rectOf(const AddressRange& range, int least = 4) const;
  /// Round addresses, far enough apart for their texts.
  std::vector<std::uint64_t> ticks(int apart) const;
  int labelLeft() const { return strip.right() + 24; }
};

/// Heights for labels that want to be at `wanted` (their middles, in order) and are `height` high: none overlaps
/// another, all are between `top` and `bottom`, each as near to its wish as the others let it. Nothing for those that
/// find no room; the ones in `first` find room before others.
std::vector<std::optional<int>> spreadLabels(const std::vector<double>& wanted, int height, int top, int bottom,
                                             std::optional<std::size_t> first = {});

/// `address` moved to the nearest multiple of `step`; 0 leaves it.
std::uint64_t snapped(std::uint64_t address, std::uint64_t step);

}  // namespace imprimo::app
