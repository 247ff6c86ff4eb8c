// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <QTextBrowser>
#include <QTreeWidget>
#include <vector>

#include "app/shell/view.h"

namespace imprimo::app {

struct KeysSection {
  QString title;
  std::vector<KeyWords> keys;
};

/// The guide, and all keys that there are: a word that is typed leaves the keys that it has to do with, and is looked
/// for in the guide.
class KeysDialog : public QDialog {
  Q_OBJECT
 public:
  explicit KeysDialog(const std::vector<KeysSection>& sections, QWidget* parent = nullptr);

 private:
  void filter(const QString& words);

  QLineEdit* search_;
  QTreeWidget* keys_;
  QTextBrowser* guide_;
};

}  // namespace imprimo::app
