// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLabel>
#include <QTableWidget>

#include "app/model/workbench.h"

namespace imprimo::app {

/// Every range in which the part differs from what is planned: to jump to, and to take along as a report.
class DifferencesDialog : public QDialog {
  Q_OBJECT
 public:
  explicit DifferencesDialog(Workbench& bench, QWidget* parent = nullptr);
  /// Writes the report. Throws CannotWrite.
  void exportTo(const QString& file) const;

 private:
  void refresh();

  Workbench& bench_;
  QTableWidget* table_;
  QLabel* words_;
  std::vector<AddressRange> ranges_;
};

}  // namespace imprimo::app
