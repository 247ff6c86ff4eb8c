// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QWidget>

#include "app/console/console_list.h"

namespace imprimo::app {

/// What the target says, below any other view.
class ConsoleStrip : public QWidget {
  Q_OBJECT
 public:
  explicit ConsoleStrip(ConsoleModel& model);
  /// `close` takes it away.
  void setCloser(QAction* close);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  ConsoleModel& model_;
  QLabel* state_;
};

}  // namespace imprimo::app
