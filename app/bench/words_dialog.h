// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/bench/word_card.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// The configuration words of the core whose memory is looked at, what they are to be, and the lock.
class WordsDialog : public QDialog {
  Q_OBJECT
 public:
  explicit WordsDialog(Workbench& bench, QWidget* parent = nullptr);
  /// Whether there is anything to show for this core.
  static bool isFor(Workbench& bench);

 private:
  QWidget* foot();
  void rebuild();
  void read();
  void refresh();
  void write();
  void proposeCopy();
  void keepInSheet();
  void askLock(bool asked);
  std::vector<sheet::WordWish> wishes() const;
  debug::Harm worst() const;

  Workbench& bench_;
  std::string core_, described_;
  debug::CoreCard card_;
  QLabel* head_;
  QVBoxLayout* column_;
  std::vector<WordCard*> cards_;
  QLabel* words_;
  QToolButton *again_, *copy_, *keep_;
  QPushButton *write_, *lock_, *lockSure_, *lockNot_;
  bool known_ = false;
};

}  // namespace imprimo::app
