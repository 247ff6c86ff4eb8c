// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/strip_geometry.h"

#include <algorithm>

namespace imprimo::app {
namespace {
constexpr int kStripLeft = 96, kStripRight = 14, kStripTop = 12, kStripBottom = 24;
}

StripGeometry StripGeometry::fit(const QSize& size, double seconds) {
  StripGeometry g;
  g.plot = QRect(kStripLeft, kStripTop, std::max(10, size.width() - kStripLeft - kStripRight),
                 std::max(20, size.height() - kStripTop - kStripBottom));
  g.laneHeight = g.plot.height() / kLanes;
  g.seconds = seconds > 0 ? seconds : 1;
  return g;
}

double StripGeometry::timeAt(double x) const {
  return std::clamp((x - plot.left()) / plot.width(), 0.0, 1.0) * seconds;
}

QRect StripGeometry::lane(Lane lane) const {
  const int gap = std::max(2, laneHeight / 5);
  return {plot.left(), plot.top() + lane * laneHeight + gap, plot.width(), laneHeight - 2 * gap};
}

std::vector<StripColumn> stripColumns(const svf::Survey& survey, const StripGeometry& g) {
  std::vector<StripColumn> columns(static_cast<std::size_t>(g.plot.width()));
  const double columnSeconds = g.seconds / g.plot.width();
  for (std::size_t i = 0; i < survey.stretches.size(); ++i) {
    const svf::Survey::Stretch& s = survey.stretches[i];
    const double from = static_cast<double>(i) * survey.stretchSeconds;
    const auto first = static_cast<std::size_t>(from / columnSeconds);
    const auto last = static_cast<std::size_t>((from + survey.stretchSeconds) / columnSeconds);
    for (std::size_t c = first; c <= last && c < columns.size(); ++c) {
      const double overlap = std::min((static_cast<double>(c) + 1) * columnSeconds, from + survey.stretchSeconds) -
                             std::max(static_cast<double>(c) * columnSeconds, from);
      if (overlap <= 0) continue;
      const auto device = static_cast<float>(overlap / survey.stretchSeconds);
      auto& share = columns[c].share;
      share[StripGeometry::Instruction] += s.instruction * device / static_cast<float>(columnSeconds);
      share[StripGeometry::Data] += s.data * device / static_cast<float>(columnSeconds);
      share[StripGeometry::Waiting] += s.waiting * device / static_cast<float>(columnSeconds);
      if (s.compares > 0) share[StripGeometry::Compared] = 1;
    }
  }
  return columns;
}

}  // namespace imprimo::app
