// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QWidget>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// The plan's steps, filling up in place while it runs.
class StepsList : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit StepsList(Workbench& bench, QWidget* parent = nullptr);
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override { return {measure::kRightWidth - 40, sizeHint().height()}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void drawStep(QPainter& painter, const QRect& row, std::size_t index, const Theme& theme) const;
  QString wordsOf(std::size_t index) const;
  QString nothingPlanned() const;
  /// Tells of steps that have come to something else: begun, at a quarter, done, failed.
  void tellReaders();

  Workbench& bench_;
  std::vector<QString> told_;  // of each step
};

/// What will happen, what happens, what happened: steps, the one button, and the outcome in words.
class StepsPanel : public QWidget {
  Q_OBJECT
 public:
  explicit StepsPanel(Workbench& bench, QWidget* parent = nullptr);
  /// The one button and what stands with it: always in sight, also where the steps are scrolled.
  QWidget* foot() const { return foot_; }

 private:
  void refresh();
  /// The choice that a run leaves which was refused for the sake of an earlier one.
  QWidget* earlierChoice();

  Workbench& bench_;
  QLabel* heading_;
  QLabel* estimate_;
  StepsList* list_;
  QWidget* foot_;
  QPushButton* go_;
  QLabel* key_;
  QWidget* others_;
  QToolButton* all_;
  QWidget* earlier_;
  QLabel* outcome_;
  QLabel* behind_;  // what follows the run that is planned
};

}  // namespace imprimo::app
