// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <QTreeWidget>
#include <vector>

#include "app/shell/guide_browser.h"
#include "app/shell/view.h"

namespace imprimo::app {

struct KeysSection {
  QString title;
  std::vector<KeyWords> keys;
};

/// The guide's pages, and all keys that there are: a word that is typed leaves the pages that have it and the keys that
/// it has to do with, and is looked for in the page that is shown. The window can be worked with beside it.
class KeysDialog : public QDialog {
  Q_OBJECT
 public:
  explicit KeysDialog(const std::vector<KeysSection>& sections, QWidget* parent = nullptr);

 private:
  void filter(const QString& words);
  void addPages();
  void showItem(const QTreeWidgetItem* item);

  QLineEdit* search_;
  QTreeWidget* keys_;
  GuideBrowser* guide_;
};

}  // namespace imprimo::app
