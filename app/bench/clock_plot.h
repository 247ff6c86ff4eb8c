// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/look/spoken.h"
#include "app/model/workbench.h"

class QCPGraph;
class QCPItemStraightLine;
class QCPItemText;
class QCustomPlot;

namespace imprimo::app {

/// Wrong bits over clock, with the suggestion and the clock in use. Sound clocks are filled dots on the line at the
/// bottom, others crosses: not by colour alone.
class ClockPlot : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit ClockPlot(Workbench& bench, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {200, 96}; }
  QSize minimumSizeHint() const override { return sizeHint(); }

  QAccessible::Role spokenRole() const override { return QAccessible::Chart; }
  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 private:
  void refresh();
  void colour();

  Workbench& bench_;
  QCustomPlot* plot_;
  QCPGraph *sound_, *wrong_;
  QCPItemStraightLine* suggested_;
  QCPItemText* words_;
};

}  // namespace imprimo::app
