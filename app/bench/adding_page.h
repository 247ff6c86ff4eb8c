// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QWidget>

#include "app/bench/offer_list.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// A memory is being added to a device: the ways to it, and what it will be called.
class AddingPage : public QWidget {
  Q_OBJECT
 public:
  explicit AddingPage(Workbench& bench, QWidget* parent = nullptr);

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void refresh();

  Workbench& bench_;
  std::size_t shown_ = 0;
  QLabel *title_, *words_, *trouble_, *then_;
  OfferList* offers_;
  QWidget* area_ = nullptr;
  QWidget* called_;
  QLineEdit* name_;
};

/// What the sheet has so far, in a few lines, beside what is being added.
class SheetSoFar : public QWidget {
  Q_OBJECT
 public:
  explicit SheetSoFar(Workbench& bench, QWidget* parent = nullptr);

 private:
  void refresh();

  Workbench& bench_;
  QLabel* words_;
};

}  // namespace imprimo::app
