// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/kept_rows.h"

#include <QApplication>
#include <QLineEdit>
#include <QWidget>
#include <algorithm>

namespace imprimo::app {
namespace {

/// What the keys can be on inside a row, in the order in which it was made.
std::vector<QWidget*> stopsIn(QWidget* row) {
  std::vector<QWidget*> stops;
  for (QWidget* each : row->findChildren<QWidget*>()) {
    if ((each->focusPolicy() & Qt::TabFocus) != 0) stops.push_back(each);
  }
  return stops;
}

bool takesKeys(const QWidget* widget, const QWidget* row) {
  return widget != nullptr && widget->isEnabled() && widget->isVisibleTo(row) && widget->focusPolicy() != Qt::NoFocus;
}

/// The thing of that name in a row, or the first that can have the keys.
QWidget* stopLike(QWidget* row, const QString& name) {
  QWidget* same = row->findChild<QWidget*>(name);
  if (!name.isEmpty() && takesKeys(same, row)) return same;
  for (QWidget* each : stopsIn(row)) {
    if (takesKeys(each, row)) return each;
  }
  return nullptr;
}

}  // namespace

void KeptRows::show(const QStringList& keys, const Make& make, const Fill& fill) {
  const std::vector<QWidget*> old = rows_;
  const bool sameNumber = keys.size() == keys_.size();
  std::vector<bool> used(old.size(), false);
  std::vector<QWidget*> next(static_cast<std::size_t>(keys.size()), nullptr);
  for (std::size_t i = 0; i < next.size(); ++i) {
    // The same place first: equal keys may be there twice.
    std::vector<std::size_t> order{i};
    for (std::size_t k = 0; k < old.size(); ++k) order.push_back(k);
    for (const std::size_t k : order) {
      if (k >= old.size() || used[k] || keys_[static_cast<qsizetype>(k)] != keys[static_cast<qsizetype>(i)]) continue;
      used[k] = true;
      next[i] = old[k];
      break;
    }
  }
  for (std::size_t i = 0; i < next.size(); ++i) {
    if (next[i] != nullptr) continue;
    if (sameNumber && !used[i]) {
      used[i] = true;
      next[i] = old[i];
    } else {
      next[i] = make();
    }
  }
  rows_ = next;
  keys_ = keys;
  for (std::size_t i = 0; i < next.size(); ++i) {
    fill(next[i], i);
    if (layout_->indexOf(next[i]) == static_cast<int>(i)) continue;
    layout_->removeWidget(next[i]);
    layout_->insertWidget(static_cast<int>(i), next[i]);
  }
  std::vector<QWidget*> going;
  for (std::size_t k = 0; k < old.size(); ++k) {
    if (!used[k]) going.push_back(old[k]);
  }
  takeAway(going, old);
  if (old != rows_) orderTabs();
}

void KeptRows::takeAway(const std::vector<QWidget*>& going, const std::vector<QWidget*>& before) {
  QWidget* focus = QApplication::focusWidget();
  for (QWidget* row : going) {
    // What was being typed there is of something that is gone; it would go to whatever has that place now.
    for (QLineEdit* each : row->findChildren<QLineEdit*>()) each->blockSignals(true);
    if (focus != nullptr && row->isAncestorOf(focus)) {
      const auto place = static_cast<std::size_t>(std::find(before.begin(), before.end(), row) - before.begin());
      QWidget* to = rows_.empty() ? nullptr : stopLike(rows_[std::min(place, rows_.size() - 1)], focus->objectName());
      if (to == nullptr) to = before_;
      if (to != nullptr) to->setFocus(Qt::OtherFocusReason);
    }
    layout_->removeWidget(row);
    row->hide();
    row->setParent(nullptr);
    row->deleteLater();  // it may be the one that was clicked
  }
}

void KeptRows::orderTabs() {
  QWidget* last = before_;
  for (QWidget* row : rows_) {
    for (QWidget* stop : stopsIn(row)) {
      if (last != nullptr) QWidget::setTabOrder(last, stop);
      last = stop;
    }
  }
}

void refill(QLineEdit* edit, const QString& text) {
  const bool typing = edit->hasFocus() && edit->isModified();
  if (!typing && edit->text() != text) edit->setText(text);
}

}  // namespace imprimo::app
