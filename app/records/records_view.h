// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QToolButton>

#include "app/records/day_strip.h"
#include "app/records/figures.h"
#include "app/records/records_model.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// What was run: days as columns of marks, the runs below, and one of them as a page that could be printed as it is.
class RecordsView : public QWidget, public View {
  Q_OBJECT
 public:
  explicit RecordsView(const ViewContext& context, QWidget* parent = nullptr);
  QWidget* widget() override { return this; }
  QList<QWidget*> panes() override { return {unit_->parentWidget(), days_, list_, side_}; }
  QList<KeyWords> keyWords() const override;
  void entered() override;

  RecordsModel& records() { return *records_; }
  /// All that is found as CSV or JSON, or the record that is looked at as PDF, by the ending of the name.
  void exportTo(const QString& file);

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  QWidget* searchRow();
  QWidget* storeRow();
  void search();
  void refresh();
  void showChosen();
  void takeText(const std::vector<std::string>& texts);
  void chooseFile(const QString& filter);
  void takeStore();

  Workbench& bench_;
  RecordsModel* records_;
  DayStrip* days_;
  QListView* list_;
  QStackedWidget* side_;
  QTextBrowser* page_;
  Figures* figures_;
  QLineEdit *unit_, *from_, *to_, *store_;
  QComboBox *title_, *station_, *result_;
  QToolButton *figuresButton_, *report_, *all_;
  QLabel *count_, *empty_, *where_;
  std::vector<std::string> shown_;  // ids of what the page is about
  std::string text_;                // of the record that is looked at
  bool refreshing_ = false;
};

View* makeRecordsView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
