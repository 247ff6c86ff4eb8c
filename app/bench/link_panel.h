// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/bench/clock_plot.h"
#include "app/model/core_places.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// Why we may believe what we see: pattern, ID reads, parameter table, clock, and how fast it could be. Without a link:
/// what was looked for and what to do.
class LinkPanel : public QFrame {
  Q_OBJECT
 public:
  explicit LinkPanel(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();
  void tellTrouble();
  void tellEvidence();
  void tellCore();
  void refreshClock();
  void row(const QString& what, const QString& value, bool good);
  void layRows();
  QPushButton* button(const char* name);

  struct Row {
    QString what, value;
    bool good = true;
    bool operator==(const Row&) const = default;
  };
  std::vector<Row> found_, laid_;
  Workbench& bench_;
  PlacedSymbols symbols_;
  QLabel* heading_;
  QLabel* words_;
  QVBoxLayout* rows_;
  ClockPlot* plot_;
  QLabel* clockWords_;
  QPushButton *again_, *wait_, *find_, *use_;
};

}  // namespace imprimo::app
