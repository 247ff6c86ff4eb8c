// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/vectors/strip_geometry.h"
#include "app/vectors/vector_document.h"

namespace imprimo::app {

/// The file over its own time: what kinds of scans, where the waits are, what is compared, and where it stands. A click
/// goes there; the arrow keys go from step to step.
class VectorStrip : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit VectorStrip(VectorDocument& document, QWidget* parent = nullptr);

  StripGeometry geometryNow() const;
  void draw(QPainter& painter, const Theme& theme) const;
  /// What is at this point, in words.
  QString textAt(const QPoint& point) const;
  QSize sizeHint() const override { return {800, 150}; }
  QSize minimumSizeHint() const override { return {360, 120}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void drawLanes(QPainter& painter, const Theme& theme, const StripGeometry& g) const;
  void drawSteps(QPainter& painter, const Theme& theme, const StripGeometry& g) const;
  void drawPosition(QPainter& painter, const Theme& theme, const StripGeometry& g) const;
  void goTo(const QPoint& point);
  /// Places in survey().marks that begin a step.
  std::vector<std::size_t> steps() const;

  VectorDocument& document_;
  std::vector<StripColumn> columns_;
};

}  // namespace imprimo::app
