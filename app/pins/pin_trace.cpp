// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/pin_trace.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/look/theme.h"

namespace imprimo::app {
namespace {

constexpr int kLine = 26, kName = 108, kMargin = 10;

}  // namespace

PinTrace::PinTrace(PinsModel& model, QWidget* parent) : QWidget(parent), model_(model) {
  setObjectName("pinTrace");
  setAccessibleName(tr("What the chosen ports did last"));
  speaksFor(this);
  connect(&model_, &PinsModel::sampled, this, qOverload<>(&QWidget::update));
  connect(&model_, &PinsModel::deviceChanged, this, [this] {
    ports_.clear();
    setFixedHeight(0);
    hide();
  });
  setFixedHeight(0);
  hide();
}

void PinTrace::toggle(pins::PortOf port) {
  const auto found = std::find(ports_.begin(), ports_.end(), port);
  if (found != ports_.end()) {
    ports_.erase(found);
  } else {
    ports_.push_back(port);
    if (ports_.size() > kMost) ports_.erase(ports_.begin());
  }
  setVisible(!ports_.empty());
  setFixedHeight(ports_.empty() ? 0 : static_cast<int>(ports_.size()) * kLine + 2 * kMargin);
  update();
}

int PinTrace::spokenCount() const {
  return static_cast<int>(ports_.size());
}

SpokenItem PinTrace::spokenItem(int index) const {
  const auto at = static_cast<std::size_t>(index);
  const std::vector<bool> levels = model_.trace(ports_[at]);
  std::size_t changes = 0;
  for (std::size_t k = 1; k < levels.size(); ++k) changes += levels[k] != levels[k - 1] ? 1 : 0;
  SpokenItem item;
  item.name = model_.nameOf(ports_[at]);
  item.value = levels.empty() ? tr("nothing captured")
                              : tr("%1 now, %2 changes in %3 captures")
                                    .arg(levels.back() ? tr("high") : tr("low"))
                                    .arg(changes)
                                    .arg(levels.size());
  item.rect = QRect(0, kMargin + index * kLine, width(), kLine);
  return item;
}

void PinTrace::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter painter(this);
  painter.fillRect(rect(), theme.panel);
  const double left = kMargin + kName, wide = width() - left - kMargin;
  for (std::size_t i = 0; i < ports_.size(); ++i) {
    const int top = kMargin + static_cast<int>(i) * kLine;
    const double low = top + kLine - 6, high = top + 6;
    painter.setPen(QPen(theme.line, 1));
    painter.drawLine(QPointF(left, low + 3), QPointF(left + wide, low + 3));
    painter.setPen(theme.muted);
    painter.setFont(byteFont(12));
    painter.drawText(QRect(kMargin, top, kName, kLine), Qt::AlignVCenter, model_.nameOf(ports_[i]));
    const std::vector<bool> levels = model_.trace(ports_[i]);
    if (levels.empty()) continue;
    QPainterPath path;
    const double step = wide / static_cast<double>(levels.size());
    path.moveTo(left, levels[0] ? high : low);
    for (std::size_t k = 0; k < levels.size(); ++k) {
      const double x = left + step * static_cast<double>(k), y = levels[k] ? high : low;
      if (k > 0 && levels[k] != levels[k - 1]) path.lineTo(x, y);
      path.lineTo(x + step, y);
    }
    painter.setPen(QPen(theme.planned, 1.4));
    painter.drawPath(path);
  }
}

}  // namespace imprimo::app
