// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>
#include <map>

#include "app/console/console_model.h"
#include "app/look/spoken.h"

class QCPGraph;
class QCustomPlot;
class QHBoxLayout;
class QToolButton;

namespace imprimo::app {

/// Numbers that lines give names to, over time: one curve a name, each with an axis of its own scale, told apart by
/// line and by the name with its last value.
class ConsolePlot : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit ConsolePlot(ConsoleModel& model, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {400, 168}; }

  QStringList names() const;
  /// How many values of that name are kept.
  int valuesOf(const QString& name) const;

  QAccessible::Role spokenRole() const override { return QAccessible::Chart; }
  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 private:
  struct Curve {
    QCPGraph* graph = nullptr;
    QToolButton* button = nullptr;
    double last = 0;
  };
  void take(const std::string& line, qint64 time);
  Curve& curveOf(const QString& name);
  void clear();
  void redraw();
  void colour();

  ConsoleModel& model_;
  QCustomPlot* plot_;
  QHBoxLayout* legend_;
  std::map<QString, Curve> curves_;
  QTimer redraw_;
  qint64 begin_ = 0;
};

}  // namespace imprimo::app
