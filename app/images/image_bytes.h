// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/images/image_document.h"
#include "app/look/spoken.h"
#include "app/look/theme.h"

namespace imprimo::app {

/// The bytes at the chosen place, as in the file and as they will be stored; while another image is compared, that one
/// and this. Arrows and the wheel go on from there.
class ImageBytes : public QWidget, public Spoken {
  Q_OBJECT
 public:
  static constexpr int kPerRow = 8;
  explicit ImageBytes(ImageDocument& document, QWidget* parent = nullptr);

  /// The addresses that are on screen.
  AddressRange visible() const;
  /// What will be stored there; nothing where no piece is.
  std::optional<std::uint8_t> stored(std::uint64_t address) const;
  /// What the left lane shows there.
  std::optional<std::uint8_t> left(std::uint64_t address) const;
  QString leftTitle() const;
  void draw(QPainter& painter, const Theme& theme) const;
  QSize minimumSizeHint() const override { return {360, 110}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  bool event(QEvent* event) override;

 private:
  int rows() const;
  struct Lanes {
    int left = 0, right = 0, cell = 0, charWidth = 0;
  };
  Lanes lanes() const;
  void scroll(std::int64_t rows);
  /// The piece that has the last word there.
  const Piece* pieceAt(std::uint64_t address) const;

  ImageDocument& document_;
  std::uint64_t first_ = 0;
};

}  // namespace imprimo::app
