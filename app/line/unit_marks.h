// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "line/today.h"

#include "app/look/spoken.h"

namespace imprimo::app {

/// What was done today, one mark a board: one that failed stands taller, and is cut through.
class UnitMarks : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit UnitMarks(QWidget* parent = nullptr);
  void setEntries(const std::vector<line::DayBook::Entry>& entries);
  QSize sizeHint() const override { return {400, 30}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

 private:
  std::size_t firstInSight() const;
  static QString words(const line::DayBook::Entry& entry);
  std::vector<line::DayBook::Entry> entries_;
};

}  // namespace imprimo::app
