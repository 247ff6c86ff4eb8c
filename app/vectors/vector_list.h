// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractScrollArea>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/vectors/vector_document.h"

namespace imprimo::app {

/// The statements of a file, a line each, with what they do beside them. However long the file is, only what is on
/// screen is read.
class VectorList : public QAbstractScrollArea, public Spoken {
  Q_OBJECT
 public:
  explicit VectorList(VectorDocument& document, QWidget* parent = nullptr);

  static constexpr int kRowHeight = 22;
  /// Statements as they stand in the file, without words.
  void setAsWritten(bool on);
  void draw(QPainter& painter, const QRect& exposed, const Theme& theme) const;
  std::uint64_t firstRow() const;
  int visibleRows() const { return viewport()->height() / kRowHeight; }
  QSize minimumSizeHint() const override { return {420, 120}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  void setRange();
  void followPosition();
  void drawRow(QPainter& painter, const QRect& line, const VectorRow& row, const Theme& theme) const;
  void copy();

  VectorDocument& document_;
  bool asWritten_ = false;
};

}  // namespace imprimo::app
