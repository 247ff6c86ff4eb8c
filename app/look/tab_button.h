// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPushButton>

namespace imprimo::app {

/// A button that brings a view to the front: readers get a tab, which is selected or not.
class TabButton : public QPushButton {
  Q_OBJECT
 public:
  TabButton(const QString& text, QWidget* parent);
};

}  // namespace imprimo::app
