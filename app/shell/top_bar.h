// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QMenu>
#include <QPushButton>
#include <QToolButton>
#include <QWidget>

#include "app/model/workbench.h"

namespace imprimo::app {

/// Name, view, sheet and probe. The sheet's name opens the menu for sheets, the probe's the one for probes; the menus
/// are filled by the window.
class TopBar : public QWidget {
  Q_OBJECT
 public:
  /// `views` are checkable and exclude each other; each gets a tab.
  TopBar(Workbench& bench, const QList<QAction*>& views, QMenu* sheetMenu, QAction* probes, QWidget* parent = nullptr);

  QWidget* probeButton() const { return probe_; }
  void openMenu() { sheet_->showMenu(); }

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void refresh();
  /// The sheet's title in the room that tabs and probe leave.
  void fitTitle();

  Workbench& bench_;
  QToolButton* sheet_;
  QString title_, probeText_;
  QToolButton* probe_;
};

}  // namespace imprimo::app
