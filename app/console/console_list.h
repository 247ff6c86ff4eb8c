// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractScrollArea>

#include "app/console/console_model.h"
#include "app/look/spoken.h"

namespace imprimo::app {

/// The lines that are shown: when, from where, and the text. It stays at the end as long as it is there; only what is
/// in sight is read and painted.
class ConsoleList : public QAbstractScrollArea, public Spoken {
  Q_OBJECT
 public:
  explicit ConsoleList(ConsoleModel& model, QWidget* parent = nullptr);

  std::size_t current() const { return current_; }
  void setCurrent(std::size_t row);
  bool isAtEnd() const;

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;

 private:
  void grow();
  void refresh();
  int rowsInSight() const;
  QString textOf(std::size_t row) const;
  QString whyEmpty() const;
  void drawRow(QPainter& painter, const QRect& area, std::size_t row) const;

  ConsoleModel& model_;
  std::size_t current_ = 0;
  bool chosen_ = false;  // somebody went to a line
};

}  // namespace imprimo::app
