// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The first thing that is said of a memory on which a run did not end: what it was doing, what is still missing, and
/// a way to finish it now. Not there when there is no such run.
class EarlierBanner : public QFrame {
  Q_OBJECT
 public:
  explicit EarlierBanner(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();

  Workbench& bench_;
  QLabel *title_, *words_;
  QPushButton* finish_;
};

}  // namespace imprimo::app
