// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <vector>

#include "records/record_store.h"

#include "app/look/spoken.h"

namespace imprimo::app {

/// Days as columns of marks, the newest at the right: one mark stands for one run, or for so many where there are more
/// than fit. A day is chosen by a click or the arrow keys, and let go by Escape or a second click.
class DayStrip : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit DayStrip(QWidget* parent = nullptr);

  void setDays(std::vector<records::DayCount> days, const std::string& chosen);
  const std::string& chosen() const { return chosen_; }
  /// Runs that one mark stands for.
  std::uint64_t scale() const { return scale_; }
  /// Where a day's column is; empty for one that is not in sight.
  QRect columnOf(const std::string& day) const;
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override;

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 signals:
  void dayChosen(const QString& day);  ///< empty: none

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  bool event(QEvent* event) override;

 private:
  std::size_t firstInSight() const;
  void choose(const std::string& day);
  void measure();
  QString words(const records::DayCount& day) const;

  std::vector<records::DayCount> days_;
  std::string chosen_;
  std::uint64_t scale_ = 1;
};

}  // namespace imprimo::app
