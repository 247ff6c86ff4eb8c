// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/rail/rail_edit.h"
#include "app/rail/rail_items.h"

namespace imprimo::app {

/// Up and Down walk over devices and memories; Return or the menu key opens what can be done with one. F2 changes its
/// name, Delete takes it out of the sheet, Alt with Up and Down moves a device along the chain, digits are the length
/// of one that needs it.
class ChainRail : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit ChainRail(Workbench& bench, QWidget* parent = nullptr);
  const RailLayout& layoutOfRail() const { return rail_; }
  /// The item that the keys are on; null when there is none.
  const RailItem* current() const;
  QSize sizeHint() const override { return {measure::kRailWidth, height_}; }
  QSize minimumSizeHint() const override { return sizeHint(); }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dragMoveEvent(QDragMoveEvent* event) override;
  void dragLeaveEvent(QDragLeaveEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void rebuild();
  /// Whether this is the device or memory that is looked at.
  bool isShown(const RailItem& item) const;
  /// Whether a memory can be behind its pins.
  bool hasPins(const RailItem& item) const;
  void drawItem(QPainter& painter, const RailItem& item, const Theme& theme) const;
  void drawIds(QPainter& painter, const QRect& inner, const RailItem& item, const Theme& theme) const;
  void drawCut(QPainter& painter, const Theme& theme) const;
  void moveTo(std::size_t index);
  void drawNeeds(QPainter& painter, const RailItem& item, const Theme& theme) const;
  void drawAdd(QPainter& painter, const RailItem& item, const Theme& theme) const;
  void openMenu(const RailItem& item, QPoint at);
  void fillDeviceMenu(QMenu& menu, const RailItem& item);
  void addDescriptions(QMenu& menu, std::size_t position);
  // These copy the item: the rail is laid out anew meanwhile.
  void rename(const RailItem& which);
  void typeLength(const RailItem& which, const QString& begin);
  void remove(const RailItem& which);
  void moveDevice(const RailItem& which, int by);
  void describeBy(std::size_t position, const QString& file);
  void openDescription(std::size_t position);
  QString explain(const RailItem& item) const;

  Workbench& bench_;
  RailEdit* edit_;
  RailLayout rail_;
  std::size_t current_ = 0;
  std::optional<std::size_t> over_;  // what a dragged file or memory is over
  std::optional<QPoint> pressedAt_;  // on a memory, which may be dragged from there
  int height_ = 100;
};

}  // namespace imprimo::app
