// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QGridLayout>
#include <QStackedWidget>

#include "app/line/answer_card.h"
#include "app/line/line_setup.h"
#include "app/line/unit_marks.h"
#include "app/shell/view.h"

namespace imprimo::app {

/// Many boards, one after another: one large answer for each place, and what was done today.
class LineView : public QWidget, public View {
  Q_OBJECT
 public:
  explicit LineView(const ViewContext& context, QWidget* parent = nullptr);
  ~LineView() override;
  QWidget* widget() override { return this; }
  QList<QAction*> actions() const override { return {unlock_}; }
  void entered() override;
  bool accepts(const QString& file) const override;
  void drop(const QString& file) override;
  bool claimsWindow() const override { return desk_->isLocked(); }

  LineDesk& desk() { return *desk_; }
  const std::vector<AnswerCard*>& cards() const { return cards_; }

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  QWidget* makeFloor();
  QWidget* figure(const char* name, const QString& words, QLabel*& value);
  void refresh();
  void layCards();
  void count();
  void openDialog();
  void makeRelease();
  void askLock();
  void askUnlock();

  Workbench& bench_;
  std::function<void(bool)> claim_;
  LineDesk* desk_;
  QStackedWidget* pages_;
  LineSetup* setup_;
  QWidget* floor_;
  QGridLayout* grid_;
  std::vector<AnswerCard*> cards_;
  QLabel *title_, *who_, *done_, *failed_, *left_, *next_, *takes_, *since_, *hint_;
  UnitMarks* marks_;
  QPushButton* end_;
  QAction* unlock_;
};

View* makeLineView(const ViewContext& context, QWidget* parent);

}  // namespace imprimo::app
