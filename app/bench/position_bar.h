// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

#include "app/model/workbench.h"

namespace imprimo::app {

/// The address box, the sheet's bookmarks, and the way to the next difference; with Ctrl+F, a box to search in.
class PositionBar : public QWidget {
  Q_OBJECT
 public:
  explicit PositionBar(Workbench& bench, QWidget* parent = nullptr);

 signals:
  void findRequested(const imprimo::Bytes& bytes);
  void left();  ///< Escape: the keys go back to the bytes

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  void makeWidgets();
  void fitWidth();
  void showPosition();
  void goToTyped();
  void showBookmarks();
  void showDifferences();
  void addBookmark();
  void find();

  Workbench& bench_;
  QLineEdit* address_;
  QLineEdit* find_;
  QHBoxLayout* marks_;
  QToolButton* next_;
  QToolButton* more_;  // the bookmarks that do not fit
  QString longText_, shortText_;
  std::vector<QToolButton*> chips_;
};

}  // namespace imprimo::app
