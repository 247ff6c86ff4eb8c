// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>
#include <QWidget>

#include "app/line/line_answer.h"

namespace imprimo::app {

/// The sign beside the word, or above it where there is little room.
class AnswerSign : public QWidget {
  Q_OBJECT
 public:
  explicit AnswerSign(QWidget* parent = nullptr);
  void show(LineAnswer::Kind kind, double part);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  LineAnswer::Kind kind_ = LineAnswer::Kind::Ready;
  double part_ = 0;
};

/// What one place of the line says, as large as its room lets it.
class AnswerCard : public QFrame {
  Q_OBJECT
 public:
  AnswerCard(LinePlace& place, const release::LineRules& rules, int number, QWidget* parent = nullptr);

  LinePlace& place() { return place_; }
  const LineAnswer& answer() const { return answer_; }
  /// How high the word stands, in pixels.
  int wordHeight() const;
  /// Begins, tries again, or stops.
  void act();
  /// What is scanned goes here.
  void takeFocus();

 protected:
  void resizeEvent(QResizeEvent* event) override;
  void paintEvent(QPaintEvent* event) override;

 private:
  void refresh();
  void measure();
  void colour();

  LinePlace& place_;
  release::LineRules rules_;
  LineAnswer answer_;
  bool drawn_ = false;
  AnswerSign* sign_;
  QLabel *number_, *word_, *sentence_, *under_, *next_, *details_, *health_, *waits_;
  QToolButton* unfold_;
  QLineEdit* code_;
  QPushButton* button_;
};

}  // namespace imprimo::app
