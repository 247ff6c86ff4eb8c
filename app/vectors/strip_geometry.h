// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QRect>
#include <QSize>
#include <array>
#include <vector>

#include "core/svf/survey.h"

namespace imprimo::app {

/// A file's own time from left to right, in four lanes. Painting and hit testing read the same one.
struct StripGeometry {
  enum Lane { Instruction, Data, Waiting, Compared, kLanes };
  QRect plot;
  int laneHeight = 0;
  double seconds = 0;  ///< that the plot's width stands for; never 0

  static StripGeometry fit(const QSize& size, double seconds);
  double xOf(double at) const { return plot.left() + plot.width() * at / seconds; }
  double timeAt(double x) const;
  QRect lane(Lane lane) const;
};

/// What stands in one column of pixels: how much of its time each kind takes, 0 to 1, and whether anything is compared.
struct StripColumn {
  std::array<float, StripGeometry::kLanes> share{};
};
std::vector<StripColumn> stripColumns(const svf::Survey& survey, const StripGeometry& geometry);

}  // namespace imprimo::app
