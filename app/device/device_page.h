// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "app/device/bit_field.h"
#include "app/device/status_bits.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// A part of the chain that is configured itself: what goes in, bit by bit, and how the device says it is.
class DevicePage : public QWidget {
  Q_OBJECT
 public:
  explicit DevicePage(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();
  void refreshProgress();
  QFrame* stateCard();
  void openCard();

  Workbench& bench_;
  QLabel *name_, *figure_, *caption_, *runs_, *usercode_, *facts_;
  BitField* field_;
  StatusBits* status_;
  QToolButton *look_, *restart_, *card_;
};

}  // namespace imprimo::app
