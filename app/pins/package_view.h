// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/look/spoken.h"
#include "app/pins/pins_model.h"

namespace imprimo::app {

/// The package from above: each pin at its place, filled for 1, hollow for 0, dotted where nothing can be known, with a
/// ring while it is driven here. Of the first device that is shown (0) or the one beside it (1).
class PackageView : public QWidget, public Spoken {
  Q_OBJECT
 public:
  PackageView(PinsModel& model, std::size_t which, QWidget* parent = nullptr);
  void setCurrent(std::optional<pins::PortOf> port);

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 signals:
  void chosen(imprimo::pins::PortOf port);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  bool event(QEvent* event) override;

 private:
  QPointF centreOf(const pins::PackagePin& pin) const;
  double pitch() const;
  std::optional<pins::PortOf> portOf(const pins::PackagePin& pin) const;
  const pins::PackagePin* pinAt(QPointF point) const;
  void drawPin(QPainter& painter, const pins::PackagePin& pin, double radius) const;

  PinsModel& model_;
  std::size_t which_;
  std::optional<pins::PortOf> current_;
  std::vector<pins::PortOf> together_;  // that move as the current one does
  double zoom_ = 1;
};

}  // namespace imprimo::app
