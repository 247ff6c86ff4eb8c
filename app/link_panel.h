// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QGridLayout>
#include <QLabel>

#include "app/workbench.h"

namespace imprimo::app {

/// Why we may believe what we see: pattern, ID reads, parameter table, clock. Without a link: what was looked for and
/// what to do.
class LinkPanel : public QFrame {
  Q_OBJECT
 public:
  explicit LinkPanel(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();
  void row(const QString& what, const QString& value, bool good);

  Workbench& bench_;
  QLabel* heading_;
  QLabel* words_;
  QGridLayout* rows_;
};

}  // namespace imprimo::app
