// SPDX-License-Identifier: GPL-3.0-or-later
//
// The package by keys and for readers: pins in the order of their description, arrows to the nearest one that way.
#include <QKeyEvent>
#include <cmath>

#include "app/pins/package_view.h"

namespace imprimo::app {

std::optional<pins::PortOf> PackageView::portOf(const pins::PackagePin& pin) const {
  return pin.index ? std::optional(pins::PortOf{which_, *pin.index}) : std::nullopt;
}

void PackageView::keyPressEvent(QKeyEvent* event) {
  const QPointF way = event->key() == Qt::Key_Left    ? QPointF(-1, 0)
                      : event->key() == Qt::Key_Right ? QPointF(1, 0)
                      : event->key() == Qt::Key_Up    ? QPointF(0, -1)
                      : event->key() == Qt::Key_Down  ? QPointF(0, 1)
                                                      : QPointF();
  if (way.isNull()) return QWidget::keyPressEvent(event);
  const auto& all = model_.package(which_).pins;
  const int at = spokenCurrent();
  const pins::PackagePin* best = nullptr;
  double nearest = 0;
  for (const pins::PackagePin& pin : all) {
    if (!pin.index) continue;
    if (at < 0) {
      best = &pin;
      break;
    }
    // What lies aside counts double: arrows keep to their row where there is one.
    const pins::PackagePin& from = all[static_cast<std::size_t>(at)];
    const double along = (pin.x - from.x) * way.x() + (pin.y - from.y) * way.y();
    const double aside = std::abs((pin.x - from.x) * way.y()) + std::abs((pin.y - from.y) * way.x());
    if (along <= 0) continue;
    const double cost = along + 2 * aside;
    if (best == nullptr || cost < nearest) {
      best = &pin;
      nearest = cost;
    }
  }
  if (best != nullptr) emit chosen(*portOf(*best));
}

void PackageView::focusInEvent(QFocusEvent* event) {
  QWidget::focusInEvent(event);
  update();
}

void PackageView::focusOutEvent(QFocusEvent* event) {
  QWidget::focusOutEvent(event);
  update();
}

int PackageView::spokenCount() const {
  return std::max(1, static_cast<int>(model_.package(which_).pins.size()));
}

SpokenItem PackageView::spokenItem(int index) const {
  SpokenItem item;
  const auto& all = model_.package(which_).pins;
  if (all.empty()) {
    item.name = tr("No package is known.");
    item.role = QAccessible::StaticText;
    item.rect = rect();
    return item;
  }
  const pins::PackagePin& pin = all[static_cast<std::size_t>(index)];
  item.name = tr("pin %1, %2").arg(QString::fromStdString(pin.name), QString::fromStdString(pin.port));
  const double step = pitch();
  item.rect = QRectF(centreOf(pin) - QPointF(step / 2, step / 2), QSizeF(step, step)).toRect();
  const auto port = portOf(pin);
  item.canBePressed = port.has_value();
  if (!port) {
    item.value = tr("not on the register");
    return item;
  }
  const pins::Level level = model_.level(*port);
  item.value = !level ? tr("unknown") : *level ? tr("high") : tr("low");
  if (model_.isDriven(*port)) item.value += tr(", driven here");
  if (model_.differs(*port)) item.value += tr(", is not as wanted");
  item.isSelected = current_ == port;
  return item;
}

int PackageView::spokenCurrent() const {
  const auto& all = model_.package(which_).pins;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (current_ && portOf(all[i]) == current_) return static_cast<int>(i);
  }
  return -1;
}

void PackageView::spokenPress(int index) {
  const auto& all = model_.package(which_).pins;
  if (static_cast<std::size_t>(index) >= all.size()) return;
  if (const auto port = portOf(all[static_cast<std::size_t>(index)])) emit chosen(*port);
}

}  // namespace imprimo::app
