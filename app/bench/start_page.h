// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

#include "app/model/workbench.h"

namespace imprimo::app {

/// What can be done while no sheet is open: with what is plugged in, with what was open last, and with the demo.
class StartPage : public QWidget {
  Q_OBJECT
 public:
  StartPage(Workbench& bench, QAction* openSheet, QAction* startSheet, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  QFrame* block(const QString& title, QVBoxLayout*& inside);
  QPushButton* button(QVBoxLayout* column, const QString& text, const char* name);
  void fillProbes(const probe::ProbeListing& listing);
  void fillSheets();

  Workbench& bench_;
  QAction *open_, *start_;
  QPushButton* elsewhere_ = nullptr;
  QVBoxLayout *probes_ = nullptr, *sheets_ = nullptr;
};

}  // namespace imprimo::app
