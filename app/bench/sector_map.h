// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/bench/sector_grid.h"
#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/model/block_looks.h"
#include "app/model/memory_cursor.h"

namespace imprimo::app {

/// One tile for each erase block (or for several): upper half planned, lower half on the part, one calm tile where they
/// agree. Arrow keys and clicks move the shared position.
class SectorMap : public QWidget, public Spoken {
  Q_OBJECT
 public:
  SectorMap(const BlockLooks& looks, MemoryCursor& cursor, QWidget* parent = nullptr);

  void draw(QPainter& painter, const QRect& exposed, const Theme& theme) const;
  SectorGrid grid() const;
  /// What a tile says of itself: range and states.
  QString textOf(int tile) const;
  BlockLook lookOf(int tile) const;
  QSize minimumSizeHint() const override { return {420, 180}; }
  /// Dragging marks tiles while ranges are chosen, otherwise with Shift; so do Shift and the arrow keys, then Enter.
  void setChoosing(bool on);
  /// The blocks that are marked; empty when none are.
  AddressRange marked() const;
  void unmark();

  /// Paints one look, for the map and its legend.
  static void drawProtected(QPainter& painter, const QRect& rect, const Theme& theme);
  /// Over a tile whose contents are from before.
  static void drawFromBefore(QPainter& painter, const QRect& rect, const Theme& theme);
  /// Of what is not read: one dot in a square of five pixels, calm also where there are thousands of tiles.
  static QBrush dots(const Theme& theme);
  static void drawTile(QPainter& painter, const QRect& rect, BlockLook look, const Theme& theme, const QBrush& unread);

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 signals:
  void chosen(const imprimo::AddressRange& range);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

 private:
  int currentTile() const;
  void moveToTile(int tile, bool mark = false);
  void choose();

  const BlockLooks& looks_;
  MemoryCursor& cursor_;
  bool choosing_ = false;
  std::optional<std::size_t> markFrom_;  // block
};

/// The looks and what they mean.
class MapLegend : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit MapLegend(QWidget* parent = nullptr);
  QAccessible::Role spokenRole() const override { return QAccessible::Grouping; }
  int spokenCount() const override { return static_cast<int>(entries().size()); }
  SpokenItem spokenItem(int index) const override;
  /// The looks of erasing instead of those of writing; whether something is protected, or known from before only.
  void explain(bool erasing, bool isProtected, bool fromBefore);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  struct Entry {
    QString text;
    QRect rect;  ///< of its sign and text
    std::optional<BlockLook> look;
    void (*mark)(QPainter&, const QRect&, const Theme&) = nullptr;
  };
  std::vector<Entry> entries() const;

  bool erasing_ = false, protected_ = false, fromBefore_ = false;
};

}  // namespace imprimo::app
