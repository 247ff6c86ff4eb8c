// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLayout>
#include <QWidget>

namespace imprimo::app {

/// Takes all out of a layout. A widget may be the one that was clicked: it is no part of the page any more, and goes
/// later.
inline void emptyLayout(QLayout* layout) {
  while (QLayoutItem* item = layout->takeAt(0)) {
    if (QWidget* widget = item->widget(); widget != nullptr) {
      widget->hide();
      widget->setParent(nullptr);
      widget->deleteLater();
    }
    if (item->layout() != nullptr) emptyLayout(item->layout());
    delete item;
  }
}

}  // namespace imprimo::app
