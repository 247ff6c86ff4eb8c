// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the strip says to readers: the steps of the file, or the file as one where it names none.
#include "app/vectors/vector_strip.h"
#include "core/base/number.h"

namespace imprimo::app {

std::vector<std::size_t> VectorStrip::steps() const {
  std::vector<std::size_t> steps;
  const auto& marks = document_.survey().marks;
  for (std::size_t i = 0; i < marks.size(); ++i) {
    if (!marks[i].point.title.empty()) steps.push_back(i);
  }
  return steps;
}

int VectorStrip::spokenCount() const {
  const std::size_t count = steps().size();
  return count == 0 ? 1 : static_cast<int>(count);
}

SpokenItem VectorStrip::spokenItem(int index) const {
  const StripGeometry g = geometryNow();
  const std::vector<std::size_t> steps = this->steps();
  const auto& marks = document_.survey().marks;
  SpokenItem item;
  item.isSelected = index == spokenCurrent();
  if (steps.empty()) {
    item.name = document_.isOpen() ? tr("The whole file") : tr("No file");
    item.value = document_.isOpen() ? QString::fromStdString(durationText(document_.survey().seconds)) : QString();
    item.rect = g.plot;
    item.role = QAccessible::StaticText;
    return item;
  }
  const auto at = static_cast<std::size_t>(index);
  const auto& mark = marks[steps[at]];
  const double end = at + 1 < steps.size() ? marks[steps[at + 1]].at : document_.survey().seconds;
  item.name = QString("%1. %2").arg(index + 1).arg(QString::fromStdString(mark.point.title));
  item.value =
      tr("from %1, %2 long")
          .arg(QString::fromStdString(durationText(mark.at)), QString::fromStdString(durationText(end - mark.at)));
  const int x = static_cast<int>(g.xOf(mark.at));
  item.rect = QRect(x, g.plot.top(), std::max(1, static_cast<int>(g.xOf(end)) - x), g.plot.height());
  item.canBePressed = true;
  return item;
}

/// The step that the position is in.
int VectorStrip::spokenCurrent() const {
  if (!document_.isOpen()) return -1;
  const double at = document_.survey().timeOf(document_.position());
  int current = -1;
  const std::vector<std::size_t> steps = this->steps();
  for (std::size_t i = 0; i < steps.size(); ++i) {
    if (document_.survey().marks[steps[i]].at <= at) current = static_cast<int>(i);
  }
  return current;
}

void VectorStrip::spokenPress(int index) {
  const std::vector<std::size_t> steps = this->steps();
  if (static_cast<std::size_t>(index) < steps.size())
    document_.setPosition(
        document_.survey().offsetAt(document_.survey().marks[steps[static_cast<std::size_t>(index)]].at));
}

}  // namespace imprimo::app
