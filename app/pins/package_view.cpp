// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/package_view.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>
#include <QWheelEvent>
#include <algorithm>

#include "app/look/theme.h"

namespace imprimo::app {

PackageView::PackageView(PinsModel& model, std::size_t which, QWidget* parent)
    : QWidget(parent), model_(model), which_(which) {
  setObjectName(which == 0 ? "package" : "otherPackage");
  setAccessibleName(tr("The package from above"));
  setMinimumSize(260, 220);
  setFocusPolicy(Qt::StrongFocus);
  speaksFor(this);
  connect(&model_, &PinsModel::sampled, this, qOverload<>(&QWidget::update));
  connect(&model_, &PinsModel::changed, this, qOverload<>(&QWidget::update));
  connect(&model_, &PinsModel::deviceChanged, this, [this] {
    zoom_ = 1;
    current_.reset();
    update();
  });
}

void PackageView::setCurrent(std::optional<pins::PortOf> port) {
  current_ = port;
  currentChanged();
  update();
}

double PackageView::pitch() const {
  const pins::Package& package = model_.package(which_);
  constexpr double kMargin = 1.5, kMost = 26;
  const double fits = std::min(width() / (package.width + kMargin), height() / (package.height + kMargin));
  return std::min(fits, kMost) * zoom_;
}

QPointF PackageView::centreOf(const pins::PackagePin& pin) const {
  const pins::Package& package = model_.package(which_);
  const double step = pitch();
  return {width() / 2.0 + (pin.x - (package.width - 1) / 2) * step,
          height() / 2.0 + (pin.y - (package.height - 1) / 2) * step};
}

const pins::PackagePin* PackageView::pinAt(QPointF point) const {
  const double reach = pitch() / 2;
  for (const pins::PackagePin& pin : model_.package(which_).pins) {
    const QPointF away = centreOf(pin) - point;
    if (std::abs(away.x()) <= reach && std::abs(away.y()) <= reach) return &pin;
  }
  return nullptr;
}

void PackageView::drawPin(QPainter& painter, const pins::PackagePin& pin, double radius) const {
  const Theme& theme = Theme::current();
  const QPointF centre = centreOf(pin);
  if (!pin.index) {
    painter.setPen(QPen(theme.faint, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(QRectF(centre.x() - radius * 0.7, centre.y() - radius * 0.7, radius * 1.4, radius * 1.4));
    return;
  }
  const pins::PortOf port{which_, *pin.index};
  const pins::Level level = model_.level(port);
  painter.setPen(QPen(level ? theme.planned : theme.faint, level ? 1.6 : 1, level ? Qt::SolidLine : Qt::DotLine));
  painter.setBrush(level.value_or(false) ? QBrush(theme.planned) : QBrush(theme.paper));
  painter.drawEllipse(centre, radius, radius);
  const bool driven = model_.isDriven(port);
  painter.setBrush(Qt::NoBrush);
  if (driven) {
    painter.setPen(QPen(theme.erasing, 2));
    painter.drawEllipse(centre, radius + 2.5, radius + 2.5);
  }
  if (model_.differs(port)) {
    // Crossed out, so that it is seen without its colour too.
    painter.setPen(QPen(theme.differs, 2));
    painter.drawLine(centre + QPointF(-radius - 2, radius + 2), centre + QPointF(radius + 2, -radius - 2));
  }
  if (std::find(together_.begin(), together_.end(), port) != together_.end()) {
    painter.setPen(QPen(theme.ink, 1.2, Qt::DashLine));
    painter.drawRect(QRectF(centre.x() - radius - 5, centre.y() - radius - 5, 2 * radius + 10, 2 * radius + 10));
  }
  if (current_ == port) {
    painter.setPen(QPen(theme.ink, 1.2));
    painter.drawRect(QRectF(centre.x() - radius - 5, centre.y() - radius - 5, 2 * radius + 10, 2 * radius + 10));
  }
}

void PackageView::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(hasFocus() ? QPen(theme.planned, 2) : QPen(theme.line, 1));
  painter.setBrush(theme.panel);
  painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), measure::kRadius, measure::kRadius);
  const pins::Package& package = model_.package(which_);
  const double step = pitch();
  if (package.shape == pins::Package::Shape::Perimeter) {
    const double half = (package.width - 3) / 2 * step + step * 0.15;
    const QRectF body(width() / 2.0 - half, height() / 2.0 - half, 2 * half, 2 * half);
    painter.setPen(QPen(theme.line, 1.2));
    painter.setBrush(theme.paper);
    painter.drawRoundedRect(body, 8, 8);
    painter.drawEllipse(body.topLeft() + QPointF(14, 14), 4, 4);  // beside the first pin
    painter.setPen(theme.ink);
    painter.setFont(textFont(14, QFont::DemiBold));
    if (model_.position(which_) != 0)
      painter.drawText(body.adjusted(0, -12, 0, -12), Qt::AlignCenter, model_.nameOf(model_.position(which_)));
    painter.setPen(theme.muted);
    painter.setFont(textFont(12));
    painter.drawText(body.adjusted(0, 14, 0, 14), Qt::AlignCenter, model_.words(which_));
  }
  const double radius = std::clamp(step * 0.3, 1.5, 8.0);
  together_ = current_ ? model_.movesWith(*current_) : std::vector<pins::PortOf>();
  for (const pins::PackagePin& pin : package.pins) drawPin(painter, pin, radius);
}

void PackageView::mousePressEvent(QMouseEvent* event) {
  const pins::PackagePin* pin = pinAt(event->position());
  if (pin != nullptr && pin->index) emit chosen({which_, *pin->index});
}

void PackageView::wheelEvent(QWheelEvent* event) {
  constexpr double kStep = 1.15, kMost = 6;
  zoom_ = std::clamp(zoom_ * (event->angleDelta().y() > 0 ? kStep : 1 / kStep), 1.0, kMost);
  update();
}

bool PackageView::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    const pins::PackagePin* pin = pinAt(help->pos());
    QToolTip::showText(
        help->globalPos(),
        pin == nullptr ? QString()
                       : tr("pin %1, %2").arg(QString::fromStdString(pin->name), QString::fromStdString(pin->port)));
    return true;
  }
  return QWidget::event(event);
}

}  // namespace imprimo::app
