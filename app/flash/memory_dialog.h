// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLabel>
#include <QTabWidget>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The part behind a memory: its registers bit by bit, its own tables raw and in words, and its card.
class MemoryDialog : public QDialog {
  Q_OBJECT
 public:
  explicit MemoryDialog(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refreshHead();

  Workbench& bench_;
  QLabel* head_;
  QTabWidget* pages_;
};

}  // namespace imprimo::app
