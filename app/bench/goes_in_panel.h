// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/bench/kept_panel.h"
#include "app/look/kept_rows.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// What goes in: a card for each file placed in the memory (address, bit order, order, removal), and what is kept.
/// Files are added by the link or dropped anywhere on it.
class GoesInPanel : public QWidget {
  Q_OBJECT
 public:
  explicit GoesInPanel(Workbench& bench, QWidget* parent = nullptr);

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dragLeaveEvent(QDragLeaveEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void rebuild();
  QFrame* editsCard();
  void showEdits(std::size_t bytes);
  void chooseFile();
  void setOver(bool over);

  Workbench& bench_;
  QVBoxLayout* cards_;
  std::unique_ptr<KeptRows> rows_;
  QFrame* edits_;  // bytes that were typed
  QToolButton *editsName_, *add_;
  KeptPanel* kept_;
};

}  // namespace imprimo::app
