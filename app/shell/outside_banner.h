// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The sheet's file was changed by another program: what differs, and whether that is taken.
class OutsideBanner : public QFrame {
  Q_OBJECT
 public:
  explicit OutsideBanner(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();

  Workbench& bench_;
  QLabel *title_, *words_;
  QPushButton* take_;
};

}  // namespace imprimo::app
