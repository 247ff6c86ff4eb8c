// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/ruler_geometry.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace imprimo::app {

RulerGeometry RulerGeometry::fit(const QSize& size, const AddressRange& shown, int charWidth) {
  constexpr int kTop = 16;
  RulerGeometry g;
  const int left = 14 + charWidth * 10;
  const int labels = charWidth * 26 + 24;
  g.strip = QRect(left, kTop, std::max(60, size.width() - left - labels), std::max(40, size.height() - 2 * kTop));
  g.shown = shown.empty() ? AddressRange{0, 0x1000} : shown;
  return g;
}

double RulerGeometry::yOf(std::uint64_t address) const {
  const double part = address < shown.begin
                          ? -static_cast<double>(shown.begin - address) / static_cast<double>(shown.size())
                          : static_cast<double>(address - shown.begin) / static_cast<double>(shown.size());
  return strip.top() + part * strip.height();
}

std::uint64_t RulerGeometry::addressAt(double y) const {
  const double part = std::clamp((y - strip.top()) / strip.height(), 0.0, 1.0);
  const auto offset = static_cast<std::uint64_t>(part * static_cast<double>(shown.size()));
  return std::min(shown.begin + offset, shown.end - 1);
}

QRect RulerGeometry::rectOf(const AddressRange& range, int least) const {
  if (range.empty() || !range.overlaps(shown)) return {};
  const AddressRange seen = shown.cut(range);
  const int top = static_cast<int>(std::floor(yOf(seen.begin)));
  const int bottom = static_cast<int>(std::ceil(yOf(seen.end)));
  const int height = std::max(bottom - top, least);
  // What is too small to see grows downwards, and at the lower end upwards.
  return QRect(strip.left(), std::min(top, strip.bottom() + 1 - height), strip.width(), height);
}

std::vector<std::uint64_t> RulerGeometry::ticks(int apart) const {
  const double least = static_cast<double>(shown.size()) / strip.height() * apart;
  std::uint64_t step = std::bit_ceil(static_cast<std::uint64_t>(std::max(1.0, std::ceil(least))));
  // Steps of 1, 2, 4 or 8 times a power of 16 are round in hexadecimal: every power of two is.
  std::vector<std::uint64_t> list;
  for (std::uint64_t at = (shown.begin + step - 1) / step * step; at <= shown.end && list.size() < 200; at += step) {
    list.push_back(at);
    if (at > UINT64_MAX - step) break;
  }
  return list;
}

std::vector<std::optional<int>> spreadLabels(const std::vector<double>& wanted, int height, int top, int bottom,
                                             std::optional<std::size_t> first) {
  std::vector<std::optional<int>> tops(wanted.size());
  const auto room = static_cast<std::size_t>(std::max(0, (bottom - top) / height));
  std::vector<std::size_t> shown;
  for (std::size_t i = 0; i < wanted.size(); ++i) shown.push_back(i);
  if (shown.size() > room) {
    // Evenly many of them, and the one that must be there.
    std::vector<std::size_t> some;
    for (std::size_t k = 0; k < room; ++k) some.push_back(shown[k * shown.size() / room]);
    if (first && room > 0 && std::find(some.begin(), some.end(), *first) == some.end()) {
      auto near = std::lower_bound(some.begin(), some.end(), *first);
      if (near == some.end()) --near;
      *near = *first;
    }
    shown = std::move(some);
  }
  // Down the list each goes below the one before; what then hangs over the bottom is pushed up again.
  int free = top;
  for (const std::size_t i : shown) {
    const int wish = static_cast<int>(std::lround(wanted[i])) - height / 2;
    tops[i] = std::max(wish, free);
    free = *tops[i] + height;
  }
  int limit = bottom;
  for (auto it = shown.rbegin(); it != shown.rend(); ++it) {
    tops[*it] = std::min(*tops[*it], limit - height);
    limit = *tops[*it];
  }
  return tops;
}

std::uint64_t snapped(std::uint64_t address, std::uint64_t step) {
  if (step < 2) return address;
  const std::uint64_t rest = address % step;
  if (rest < step - rest || address > UINT64_MAX - step) return address - rest;
  return address - rest + step;
}

}  // namespace imprimo::app
