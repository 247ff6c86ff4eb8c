// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "app/theme.h"
#include "app/workbench.h"

namespace imprimo::app {

/// The chain as a rail, TDI at the top: each part a stop, each memory hanging from the part it is reached through. A
/// plain description; painting and hit testing read the same one.
struct RailItem {
  enum Kind { Part, Memory } kind = Part;
  QString title, right, detail, trouble;
  std::size_t position = 0;            ///< of a part
  std::string memory;                  ///< of a memory
  bool agrees = true;                  ///< false: another part was found, or it does not answer
  double agreeing = 0, differing = 0;  ///< shares of what is planned in a memory
  QRect rect;
};

class ChainRail : public QWidget {
  Q_OBJECT
 public:
  explicit ChainRail(Workbench& bench, QWidget* parent = nullptr);
  const std::vector<RailItem>& items() const { return items_; }
  QSize sizeHint() const override { return {measure::kRailWidth, height_}; }
  QSize minimumSizeHint() const override { return sizeHint(); }

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void rebuild();
  void drawItem(QPainter& painter, const RailItem& item, const Theme& theme) const;
  RailItem partItem(std::size_t index) const;
  RailItem memoryItem(const sheet::MemoryEntry& entry) const;
  const RailItem* itemAt(QPoint point) const;

  Workbench& bench_;
  std::vector<RailItem> items_;
  int height_ = 100;
  int bottom_ = 0;
};

}  // namespace imprimo::app
