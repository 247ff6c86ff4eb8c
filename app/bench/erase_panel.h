// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QVBoxLayout>
#include <QWidget>

#include "app/look/kept_rows.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// What goes: the sheet's list of ranges, what else lives in their blocks, and whether that goes too.
class ErasePanel : public QWidget {
  Q_OBJECT
 public:
  explicit ErasePanel(Workbench& bench, QWidget* parent = nullptr);

 private:
  void rebuild();
  QWidget* makeRow();
  void addTyped();
  QString othersText() const;
  bool keptIsAsked(const std::vector<AddressRange>& ranges) const;

  Workbench& bench_;
  QVBoxLayout* rows_;
  std::unique_ptr<KeptRows> list_;
  QLineEdit* range_;
  QCheckBox *whole_, *skip_;
  QLabel* others_;
};

}  // namespace imprimo::app
