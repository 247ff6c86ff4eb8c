// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

#include "app/console/console_list.h"
#include "app/console/console_plot.h"
#include "app/console/console_strip.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// What the target says, while it runs: heard, filtered, held, sent to, and its numbers as curves.
class ConsoleView : public QWidget, public View {
  Q_OBJECT
 public:
  ConsoleView(const ViewContext& context, QWidget* parent);

  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override { return {findAction_, holdAction_, saveAction_}; }
  Strip strip() override;
  QList<QWidget*> panes() override { return {core_->parentWidget(), plot_, list_, say_->parentWidget()}; }
  QList<KeyWords> keyWords() const override;
  void entered() override;
  void left() override;
  ConsoleModel& model() { return model_; }

 private:
  void makeActions();
  QWidget* head();
  QWidget* foot();
  void refresh();
  void showStrip();
  void find(bool forward);
  void saveLog();

  Workbench& bench_;
  ConsoleModel model_;
  QAction *findAction_, *holdAction_, *saveAction_, *below_;
  ConsoleStrip* strip_;
  QComboBox* core_;
  QLabel *state_, *figures_;
  QToolButton *listen_, *trace_, *host_, *serial_, *hold_, *curves_;
  QLineEdit *filter_, *search_, *say_;
  ConsolePlot* plot_;
  ConsoleList* list_;
  bool entered_ = false, inFront_ = false;
};

View* makeConsoleView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
