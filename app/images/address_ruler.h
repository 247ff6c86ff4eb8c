// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/images/image_document.h"
#include "app/images/ruler_geometry.h"
#include "app/look/spoken.h"
#include "app/look/theme.h"

namespace imprimo::app {

/// The image on a ruler of addresses. A piece is dragged, or moved by Ctrl with the arrow keys, and snaps to the part's
/// blocks (with Alt it does not); arrows choose a piece, + and - and the wheel with Ctrl zoom, 0 shows all.
class AddressRuler : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit AddressRuler(ImageDocument& document, QWidget* parent = nullptr);

  RulerGeometry geometryNow() const;
  /// What pieces snap to.
  std::uint64_t step() const;
  /// What is at this point, in words.
  QString textAt(const QPoint& point) const;
  void zoom(double factor, double y);
  void showAll();
  void draw(QPainter& painter, const Theme& theme) const;
  QSize minimumSizeHint() const override { return {360, 240}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  bool event(QEvent* event) override;

 private:
  struct Drag {
    std::size_t file = 0;
    std::uint64_t grip = 0;  ///< how far below its begin the piece was taken
    QPoint from;
    bool moving = false;
    AddressRange ghost;
  };
  std::optional<std::size_t> pieceAt(const QPoint& point) const;
  void drawAxis(QPainter& painter, const Theme& theme, const RulerGeometry& g) const;
  void drawPieces(QPainter& painter, const Theme& theme, const RulerGeometry& g) const;
  void drawMarks(QPainter& painter, const Theme& theme, const RulerGeometry& g) const;
  void drawLabels(QPainter& painter, const Theme& theme, const RulerGeometry& g) const;
  void drawFree(QPainter& painter, const Theme& theme, const RulerGeometry& g) const;
  void selectNeighbour(int direction);
  void moveSelected(std::int64_t by);
  void pan(std::int64_t by);
  void showAddress(std::uint64_t address);

  ImageDocument& document_;
  std::optional<AddressRange> shown_;  ///< nothing: all
  std::optional<Drag> drag_;
};

}  // namespace imprimo::app
