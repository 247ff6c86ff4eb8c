// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QVBoxLayout>

#include "app/model/workbench.h"

namespace imprimo::app {

/// What is to be done to the device that is looked at: the action, the file, procedures of choice, the user code. A
/// file can be dropped anywhere on it.
class DevicePanel : public QWidget {
  Q_OBJECT
 public:
  explicit DevicePanel(Workbench& bench, QWidget* parent = nullptr);

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void rebuild();
  QFrame* fileCard();
  void addChoices();
  void chooseFile();
  void chooseOutput();

  Workbench& bench_;
  QVBoxLayout* inside_;
};

}  // namespace imprimo::app
