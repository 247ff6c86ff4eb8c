// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPlainTextEdit>
#include <QToolButton>
#include <QWidget>

namespace imprimo::app {

/// The last thing that happened, in words; opens to all of them.
class LogStrip : public QWidget {
  Q_OBJECT
 public:
  explicit LogStrip(QWidget* parent = nullptr);
  void add(const QString& text, bool trouble);
  void setOpen(bool open);
  bool isOpen() const { return all_->isVisibleTo(this); }

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void showLast();

  QLabel* time_;
  QLabel* last_;
  QToolButton* toggle_;
  QPlainTextEdit* all_;
  QString lastText_;
};

}  // namespace imprimo::app
