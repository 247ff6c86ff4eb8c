// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/records/record_painter.h"

#include <QDateTime>
#include <QPainter>

#include "app/look/theme.h"
#include "app/records/records_model.h"

namespace imprimo::app {
namespace {

constexpr int kRowHeight = 26, kTime = 172, kTarget = 104, kUnit = 62, kMarkWidth = 26;

/// In the time of this place: whoever looks remembers when it was by that.
QString localTime(const std::string& utc) {
  const QDateTime time = QDateTime::fromString(QString::fromStdString(utc), Qt::ISODate);
  return time.isValid() ? time.toLocalTime().toString("yyyy-MM-dd  HH:mm:ss") : QString::fromStdString(utc);
}

}  // namespace

void paintMark(QPainter& painter, const QRectF& where, bool good) {
  const Theme& theme = Theme::current();
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  if (good) {
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.agrees);
    painter.drawEllipse(where);
  } else {
    painter.setPen(QPen(theme.differs, 2));
    painter.drawLine(where.topLeft(), where.bottomRight());
    painter.drawLine(where.topRight(), where.bottomLeft());
  }
  painter.restore();
}

void RecordPainter::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const auto* model = qobject_cast<const RecordsModel*>(index.model());
  if (model == nullptr) return;
  const Theme& theme = Theme::current();
  const records::KeptRecord& record = model->record(index.row());
  painter->save();
  if (option.state.testFlag(QStyle::State_Selected)) painter->fillRect(option.rect, theme.plannedTint);
  if (option.state.testFlag(QStyle::State_HasFocus)) {
    painter->setPen(theme.planned);
    painter->drawRect(option.rect.adjusted(0, 0, -1, -1));
  }
  QRect at = option.rect.adjusted(8, 0, -8, 0);
  constexpr double kDisc = 9;
  paintMark(*painter, {at.left() + 1.0, at.center().y() - kDisc / 2 + 0.5, kDisc, kDisc}, record.good);
  at.setLeft(at.left() + kMarkWidth);
  const auto column = [&](const QString& text, int width, const QFont& font, const QColor& colour) {
    QRect cell = at;
    if (width > 0) cell.setWidth(std::min(width - 8, at.width()));
    painter->setFont(font);
    painter->setPen(colour);
    painter->drawText(cell, Qt::AlignVCenter | Qt::AlignLeft,
                      painter->fontMetrics().elidedText(text, Qt::ElideRight, cell.width()));
    at.setLeft(at.left() + width);
  };
  column(localTime(record.started), kTime, byteFont(12), theme.ink);
  column(QString::fromStdString(record.target), kTarget, textFont(12), theme.ink);
  column(record.unit == 0 ? QString() : tr("unit %1").arg(record.unit), kUnit, textFont(12, QFont::DemiBold),
         theme.ink);
  const QString what =
      record.good ? QString::fromStdString(record.result)
                  : QString("%1: %2").arg(QString::fromStdString(record.result),
                                          QString::fromStdString(record.step.empty() ? record.message : record.step));
  column(what, 0, textFont(12), record.good ? theme.muted : theme.differs);
  painter->restore();
}

QSize RecordPainter::sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const {
  return {360, kRowHeight};
}

}  // namespace imprimo::app
