// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStyledItemDelegate>

class QPainter;

namespace imprimo::app {

/// The mark of a run: a disc where it came to what was asked for, a cross where not.
void paintMark(QPainter& painter, const QRectF& where, bool good);

/// Paints a record as one line: its mark, when, on what, which unit, of which sheet.
class RecordPainter : public QStyledItemDelegate {
  Q_OBJECT
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
};

}  // namespace imprimo::app
