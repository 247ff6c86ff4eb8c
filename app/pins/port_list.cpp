// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/port_list.h"

#include <QPainter>
#include <algorithm>

#include "app/look/theme.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr int kRow = 30;

const char* kindWord(pins::BoundaryPort::Kind kind) {
  return kind == pins::BoundaryPort::Kind::In ? "in" : kind == pins::BoundaryPort::Kind::Out ? "out" : "inout";
}

/// What there is to say behind its name.
QString activity(const PinsModel& model, std::size_t port) {
  if (const auto driven = model.drives().find(port); driven != model.drives().end())
    return PortItems::tr("driven %1").arg(driven->second.value_or(false) ? 1 : 0);
  if (const auto along = model.alongside().find(port); along != model.alongside().end())
    return PortItems::tr("along %1").arg(along->second.value_or(false) ? 1 : 0);
  if (model.edges(port) > 0) return QString::fromStdString(countText(model.edges(port), "edge"));
  return {};
}

}  // namespace

PortItems::PortItems(PinsModel& model, QObject* parent) : QAbstractListModel(parent), model_(model) {
  connect(&model_, &PinsModel::deviceChanged, this, &PortItems::choose);
  choose();
}

bool PortItems::fits(std::size_t port) const {
  if (filter_.isEmpty()) return true;
  const pins::BoundaryPort& of = model_.ports().ports[port];
  if (filter_ == "moving") return model_.edges(port) > 0;
  if (filter_ == "driven") return model_.drives().contains(port) || model_.alongside().contains(port);
  if (filter_ == "in" || filter_ == "out" || filter_ == "inout") return filter_ == kindWord(of.kind);
  return QString::fromStdString(of.name).contains(filter_, Qt::CaseInsensitive) ||
         QString::fromStdString(of.pin).compare(filter_, Qt::CaseInsensitive) == 0;
}

void PortItems::choose() {
  beginResetModel();
  shown_.clear();
  for (std::size_t i = 0; i < model_.ports().ports.size(); ++i) {
    if (fits(i)) shown_.push_back(i);
  }
  endResetModel();
}

void PortItems::setFilter(const QString& words) {
  filter_ = words.trimmed();
  choose();
}

int PortItems::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(shown_.size());
}

std::optional<int> PortItems::rowOf(std::size_t port) const {
  const auto found = std::find(shown_.begin(), shown_.end(), port);
  if (found == shown_.end()) return std::nullopt;
  return static_cast<int>(found - shown_.begin());
}

QVariant PortItems::data(const QModelIndex& index, int role) const {
  if (!index.isValid()) return {};
  const std::size_t port = portOf(index.row());
  if (role == Qt::ToolTipRole) return model_.whyNot(port);
  if (role != Qt::DisplayRole && role != Qt::AccessibleTextRole) return {};
  const pins::BoundaryPort& of = model_.ports().ports[port];
  QString text = QString::fromStdString(of.name);
  if (!of.pin.empty()) text += tr(", pin %1").arg(QString::fromStdString(of.pin));
  const pins::Level level = model_.isSampled() ? model_.sample(port).in : std::nullopt;
  text += !level ? tr(", level not known") : *level ? tr(", 1") : tr(", 0");
  if (const QString does = activity(model_, port); !does.isEmpty()) text += ", " + does;
  return text;
}

QSize PortDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const {
  return {200, kRow};
}

void PortDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const Theme& theme = Theme::current();
  const std::size_t port = items_.portOf(index.row());
  const pins::BoundaryPort& of = model_.ports().ports[port];
  const QRect area = option.rect;
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  if ((option.state & QStyle::State_Selected) != 0) painter->fillRect(area, theme.plannedTint);
  painter->setPen(theme.line);
  painter->drawLine(area.bottomLeft(), area.bottomRight());
  const pins::Level level = model_.isSampled() ? model_.sample(port).in : std::nullopt;
  painter->setPen(QPen(level ? theme.planned : theme.faint, 1.6, level ? Qt::SolidLine : Qt::DotLine));
  painter->setBrush(level.value_or(false) ? QBrush(theme.planned) : QBrush(Qt::NoBrush));
  constexpr int kDot = 14, kName = 30, kPin = 116, kEdge = 10;
  painter->drawEllipse(QPointF(area.left() + kDot, area.center().y() + 0.5), 5, 5);
  painter->setPen(theme.ink);
  painter->setFont(byteFont(12));
  painter->drawText(area.adjusted(kName, 0, 0, 0), Qt::AlignVCenter, QString::fromStdString(of.name));
  painter->setPen(theme.muted);
  painter->setFont(textFont(12));
  painter->drawText(area.adjusted(kPin, 0, 0, 0), Qt::AlignVCenter, QString::fromStdString(of.pin));
  painter->drawText(area.adjusted(0, 0, -kEdge, 0), Qt::AlignVCenter | Qt::AlignRight, activity(model_, port));
  painter->restore();
}

}  // namespace imprimo::app
