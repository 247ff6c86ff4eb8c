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
QString activity(const PinsModel& model, pins::PortOf port) {
  const sheet::PinLabel* label = model.label(port);
  if (model.differs(port)) return PortItems::tr("should be %1").arg(*label->level ? 1 : 0);
  if (port.device == 0) {
    if (model.clocks().contains(port.port))
      return PortItems::tr("clock %1 Hz").arg(model.clocks().at(port.port), 0, 'g', 6);
    if (const auto driven = model.drives().find(port.port); driven != model.drives().end())
      return PortItems::tr("driven %1").arg(driven->second.value_or(false) ? 1 : 0);
    if (const auto along = model.alongside().find(port.port); along != model.alongside().end())
      return PortItems::tr("along %1").arg(along->second.value_or(false) ? 1 : 0);
  }
  if (model.edges(port) == 0) return {};
  const std::vector<pins::PortOf> others = model.movesWith(port);
  const QString edges = QString::fromStdString(countText(model.edges(port), "edge"));
  if (others.empty()) return edges;
  // What is on another device says most.
  const auto elsewhere =
      std::find_if(others.begin(), others.end(), [&](pins::PortOf other) { return other.device != port.device; });
  return PortItems::tr("%1, like %2").arg(edges, model.nameOf(elsewhere == others.end() ? others.front() : *elsewhere));
}

/// What it is called on this board; empty where the sheet has no name for it.
QString calledOf(const PinsModel& model, pins::PortOf port) {
  const sheet::PinLabel* label = model.label(port);
  return label == nullptr ? QString() : QString::fromStdString(label->name);
}

}  // namespace

PortItems::PortItems(PinsModel& model, QObject* parent) : QAbstractListModel(parent), model_(model) {
  connect(&model_, &PinsModel::deviceChanged, this, &PortItems::choose);
  choose();
}

bool PortItems::fits(pins::PortOf port) const {
  if (filter_.isEmpty()) return true;
  const pins::BoundaryPort& of = model_.port(port);
  if (filter_ == "moving") return model_.edges(port) > 0;
  if (filter_ == "together") return !model_.movesWith(port).empty();
  if (filter_ == "driven") return model_.isDriven(port);
  if (filter_ == "named") return model_.label(port) != nullptr;
  if (filter_ == "wrong") return model_.differs(port);
  if (filter_ == "in" || filter_ == "out" || filter_ == "inout") return filter_ == kindWord(of.kind);
  return QString::fromStdString(of.name).contains(filter_, Qt::CaseInsensitive) ||
         calledOf(model_, port).contains(filter_, Qt::CaseInsensitive) ||
         QString::fromStdString(of.pin).compare(filter_, Qt::CaseInsensitive) == 0;
}

void PortItems::choose() {
  beginResetModel();
  shown_.clear();
  for (std::size_t which = 0; which < 2; ++which) {
    for (std::size_t i = 0; i < model_.ports(which).ports.size(); ++i) {
      if (fits({which, i})) shown_.push_back({which, i});
    }
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

std::optional<int> PortItems::rowOf(pins::PortOf port) const {
  const auto found = std::find(shown_.begin(), shown_.end(), port);
  if (found == shown_.end()) return std::nullopt;
  return static_cast<int>(found - shown_.begin());
}

QVariant PortItems::data(const QModelIndex& index, int role) const {
  if (!index.isValid()) return {};
  const pins::PortOf port = portOf(index.row());
  if (role == Qt::ToolTipRole) return model_.whyNot(port);
  if (role != Qt::DisplayRole && role != Qt::AccessibleTextRole) return {};
  const pins::BoundaryPort& of = model_.port(port);
  QString text = model_.nameOf(port);
  if (const QString called = calledOf(model_, port); !called.isEmpty()) text += ", " + called;
  if (!of.pin.empty()) text += tr(", pin %1").arg(QString::fromStdString(of.pin));
  const pins::Level level = model_.level(port);
  text += !level ? tr(", level not known") : *level ? tr(", 1") : tr(", 0");
  if (const QString own = model_.ownDrive(port); !own.isEmpty()) text += ", " + own;
  if (const QString does = activity(model_, port); !does.isEmpty()) text += ", " + does;
  return text;
}

QSize PortDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const {
  return {200, kRow};
}

void PortDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const Theme& theme = Theme::current();
  const pins::PortOf port = items_.portOf(index.row());
  const pins::BoundaryPort& of = model_.port(port);
  const QRect area = option.rect;
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  if ((option.state & QStyle::State_Selected) != 0) painter->fillRect(area, theme.plannedTint);
  painter->setPen(theme.line);
  painter->drawLine(area.bottomLeft(), area.bottomRight());
  const pins::Level level = model_.level(port);
  painter->setPen(QPen(level ? theme.planned : theme.faint, 1.6, level ? Qt::SolidLine : Qt::DotLine));
  painter->setBrush(level.value_or(false) ? QBrush(theme.planned) : QBrush(Qt::NoBrush));
  constexpr int kDot = 14, kName = 30, kPin = 116, kEdge = 10;
  painter->drawEllipse(QPointF(area.left() + kDot, area.center().y() + 0.5), 5, 5);
  const QString does = activity(model_, port);
  painter->setFont(textFont(12));
  const int wide = painter->fontMetrics().horizontalAdvance(does);
  painter->setPen(model_.differs(port) ? theme.differs : theme.muted);
  painter->drawText(area.adjusted(0, 0, -kEdge, 0), Qt::AlignVCenter | Qt::AlignRight, does);
  painter->setPen(theme.ink);
  painter->setFont(byteFont(12));
  painter->drawText(area.adjusted(kName, 0, 0, 0), Qt::AlignVCenter, QString::fromStdString(of.name));
  // Its name on the board, or where it is: of the pin's number and the device only what has room.
  const QString called = calledOf(model_, port), pin = QString::fromStdString(of.pin);
  const QString where = port.device == 0 ? pin : tr("%1 %2").arg(model_.nameOf(model_.position(1)), pin);
  painter->setPen(called.isEmpty() ? theme.muted : theme.ink);
  painter->setFont(textFont(12));
  const QRect room = area.adjusted(kPin, 0, -kEdge - wide - 6, 0);
  constexpr int kFewest = 28;  // less would only be a stroke of a letter
  if (room.width() >= kFewest)
    painter->drawText(
        room, Qt::AlignVCenter,
        painter->fontMetrics().elidedText(called.isEmpty() ? where : called, Qt::ElideRight, room.width()));
  painter->restore();
}

}  // namespace imprimo::app
