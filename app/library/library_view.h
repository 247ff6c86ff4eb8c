// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QToolButton>

#include "app/library/library_rows.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// The page of the user's library: what there is, what uses it, adding and removing.
class LibraryView : public QWidget, public View {
  Q_OBJECT
 public:
  explicit LibraryView(const ViewContext& context, QWidget* parent = nullptr);
  QWidget* widget() override { return this; }
  void entered() override;

  LibraryRows& rows() { return *rows_; }

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void refresh();
  void add();
  void addFolder();
  void removeChosen();
  const LibraryRows::Row* chosen() const;

  Workbench& bench_;
  std::function<void()> leave_;
  LibraryRows* rows_;
  QLabel *words_, *empty_;
  QLineEdit* search_;
  QListView* list_;
  QToolButton* remove_;
};

View* makeLibraryView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
