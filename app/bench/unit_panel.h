// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QFrame>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The numbers that the next board gets, each where it stands; not there for a sheet without units.
class UnitPanel : public QFrame {
  Q_OBJECT
 public:
  explicit UnitPanel(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();
  void rebuild();

  Workbench& bench_;
  QCheckBox* on_;
  QPushButton* aside_;
  QLabel *counts_, *problem_;
  QGridLayout* rows_;
  QString built_;
  std::vector<QLabel*> values_;
};

}  // namespace imprimo::app
