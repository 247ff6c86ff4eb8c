// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QWidget>
#include <vector>

#include "app/look/spoken.h"
#include "records/record_store.h"

class QCustomPlot;
class QCPBars;
class QCPGraph;

namespace imprimo::app {

/// Over days: how many of a hundred runs came to what was asked for, and how long one took; and at which steps runs
/// failed.
class Figures : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit Figures(QWidget* parent = nullptr);
  void show(const std::vector<records::DayCount>& days,
            const std::vector<std::pair<std::string, std::uint64_t>>& failures);

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 private:
  void colour();

  QCustomPlot* plot_;
  std::vector<records::DayCount> days_;
  QCPGraph *yield_, *time_;
  QLabel *words_, *steps_;
};

}  // namespace imprimo::app
