// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/vectors/vector_document.h"

namespace imprimo::app {

/// Which bits of a scan are shown of a mismatch: as digits have them, the one that goes first at the right.
struct MismatchWindow {
  std::size_t high = 0, count = 0;  ///< bits high - 1 down to high - count, counted in the whole scan
  static MismatchWindow around(const svf::Mismatch& mismatch, int most);
  std::size_t bitAt(std::size_t column) const { return high - 1 - column; }
};

/// What should have come out, what did, and which of it was looked at, bit by bit, with the parts that it comes from.
class MismatchPanel : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit MismatchPanel(VectorDocument& document, QWidget* parent = nullptr);
  void draw(QPainter& painter, const Theme& theme) const;
  /// All of it as text, for the clipboard.
  QString text() const;
  QSize sizeHint() const override { return {600, 196}; }
  QSize minimumSizeHint() const override { return {420, 196}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  MismatchWindow shownBits(const svf::Mismatch& m) const;
  void drawBits(QPainter& painter, const Theme& theme, const svf::Mismatch& m) const;
  void drawDevices(QPainter& painter, const Theme& theme, const svf::Mismatch& m, const MismatchWindow& window) const;
  QString deviceOf(const svf::Mismatch& m, std::size_t bit) const;
  VectorDocument& document_;
};

}  // namespace imprimo::app
