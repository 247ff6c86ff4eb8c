// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rail/rail_edit.h"

#include <QKeyEvent>

#include "app/look/theme.h"

namespace imprimo::app {

RailEdit::RailEdit(QWidget* parent) : QLineEdit(parent) {
  setObjectName("railEdit");
  setFont(textFont(12));
  hide();
}

void RailEdit::open(const QRect& place, const QString& text, const QString& name,
                    std::function<bool(const QString&)> take) {
  take_ = std::move(take);
  setAccessibleName(name);
  setGeometry(place);
  setText(text);
  selectAll();
  show();
  raise();
  setFocus();
}

void RailEdit::close() {
  if (!isVisible()) return;
  hide();
  parentWidget()->setFocus();
}

void RailEdit::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape) return close();
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
    // What takes it may lay out everything anew, this line's place too.
    const auto take = take_;
    if (take(text())) return close();
    return selectAll();
  }
  QLineEdit::keyPressEvent(event);
}

void RailEdit::focusOutEvent(QFocusEvent* event) {
  QLineEdit::focusOutEvent(event);
  if (event->reason() != Qt::PopupFocusReason && event->reason() != Qt::ActiveWindowFocusReason) hide();
}

}  // namespace imprimo::app
