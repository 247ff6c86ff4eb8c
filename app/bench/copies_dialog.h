// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The copies of what runs destroyed, newest first, to be put back into the memory that is looked at.
class CopiesDialog : public QDialog {
  Q_OBJECT
 public:
  explicit CopiesDialog(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();
  void updateButton();
  const run::StoredCopy* current() const;

  Workbench& bench_;
  std::vector<run::StoredCopy> copies_;
  QTableWidget* table_;
  QLabel* words_;
  QCheckBox* anyPart_;
  QPushButton* putBack_;
};

}  // namespace imprimo::app
