// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QMenu>
#include <functional>

#include "app/console/console_model.h"

namespace imprimo::app {

/// Which serial port is listened to, by what the ports hang on, and at which rate.
class SerialMenu : public QMenu {
  Q_OBJECT
 public:
  SerialMenu(ConsoleModel& model, QWidget* parent);

 private:
  void fill();
  void nameOne();
  void choice(QMenu* menu, const QString& text, bool chosen, const std::function<void(console::SerialSettings&)>& set);

  ConsoleModel& model_;
};

}  // namespace imprimo::app
