// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTreeWidget>
#include <QWidget>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The part's own tables (SFDP): each DWORD raw, and its fields in words.
class TablesPage : public QWidget {
  Q_OBJECT
 public:
  explicit TablesPage(Workbench& bench, QWidget* parent = nullptr);

 private:
  void rebuild();

  Workbench& bench_;
  QTreeWidget* tree_;
};

}  // namespace imprimo::app
