// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractScrollArea>

#include "app/bench/byte_layout.h"
#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/model/block_looks.h"
#include "app/model/memory_cursor.h"

namespace imprimo::app {

/// Planned and actual bytes side by side. Scrolling never waits: what is not known is shown as dots and asked for by
/// shown().
class ByteZip : public QAbstractScrollArea, public Spoken {
  Q_OBJECT
 public:
  ByteZip(const BlockLooks& looks, MemoryCursor& cursor, QWidget* parent = nullptr);

  void draw(QPainter& painter, const QRect& exposed, const Theme& theme) const;
  ByteLayout layoutNow() const;
  AddressRange visible() const;
  /// The selected bytes, or the one under the cursor, as "A5 4D CA": of the lane with the focus; unknown ones as "..".
  QString selectedText() const;
  Lane lane() const { return lane_; }
  /// More than the byte under the cursor; empty where nothing is marked.
  AddressRange marked() const { return anchor_ ? selection() : AddressRange{}; }
  /// The next place, from behind the cursor and around once, where `bytes` stand in either lane.
  std::optional<std::uint64_t> find(const Bytes& bytes) const;
  void memoryChanged();

  QSize minimumSizeHint() const override { return {420, 120}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 signals:
  void shown(const imprimo::AddressRange& range);
  /// Two digits were typed in the planned lane; nothing when the byte shall be what the files say again.
  void typed(quint64 address, std::optional<std::uint8_t> byte);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void scrollContentsBy(int dx, int dy) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  std::uint64_t rowAddress(const ByteLayout& layout, int row) const;
  void setRange();
  void followCursor(quint64 address);
  void drawByte(QPainter& painter, const ByteLayout& layout, const Theme& theme, int row, int column) const;
  void moveBy(std::int64_t bytes, bool select);
  void copy();
  bool typeDigit(const QString& text);
  AddressRange selection() const;
  const MemoryImage& image(Lane lane) const { return lane == Lane::Planned ? looks_.planned() : looks_.contents(); }

  const BlockLooks& looks_;
  MemoryCursor& cursor_;
  Lane lane_ = Lane::Planned;
  std::optional<std::uint64_t> anchor_;
  bool selecting_ = false;
  std::optional<std::uint8_t> firstDigit_;  // typed, and waiting for the second
};

}  // namespace imprimo::app
