// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>

#include "app/model/workbench.h"

namespace imprimo::app {

/// That a core is locked, what opens it, and the one button that does, which asks once and says what is destroyed. Only
/// there when the core of the memory is locked.
class CoreLockCard : public QFrame {
  Q_OBJECT
 public:
  explicit CoreLockCard(Workbench& bench, QWidget* parent = nullptr);

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  void keepHeight();
  void refresh();
  void ask(bool asked);

  Workbench& bench_;
  QLabel *title_, *words_, *steps_;
  QPushButton *unlock_, *destroy_, *leave_;
  std::string core_;
};

}  // namespace imprimo::app
