// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QToolButton>

#include "app/model/workbench.h"

namespace imprimo::app {

/// What else can be done with the memory that is looked at, as one button with a menu.
class MemoryMenu : public QToolButton {
  Q_OBJECT
 public:
  explicit MemoryMenu(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();
  void read();
  void compare();
  void tryHere();

  Workbench& bench_;
  QList<QAction*> needLink_;
  QAction *tryHere_, *words_;
};

}  // namespace imprimo::app
