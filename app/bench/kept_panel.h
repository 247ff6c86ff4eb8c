// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QVBoxLayout>

#include "app/look/kept_rows.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// The kept ranges of the memory that is looked at, each changed where it stands; a new one is typed, or marked on the
/// map with Shift.
class KeptPanel : public QFrame {
  Q_OBJECT
 public:
  explicit KeptPanel(Workbench& bench, QWidget* parent = nullptr);
  /// `hint`: whether nothing goes in yet.
  void showHint(bool hint);

 private:
  void rebuild();
  QWidget* makeRow();

  Workbench& bench_;
  QLabel* hint_;
  QVBoxLayout* rows_;
  QLineEdit* more_;
  std::unique_ptr<KeptRows> list_;
};

}  // namespace imprimo::app
