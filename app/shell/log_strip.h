// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPlainTextEdit>
#include <QPointer>
#include <QToolButton>
#include <QWidget>

namespace imprimo::app {

/// The last thing that happened, in words; opens to all of them.
class LogStrip : public QWidget {
  Q_OBJECT
 public:
  explicit LogStrip(QWidget* parent = nullptr);
  void add(const QString& text, bool trouble);
  /// Trouble with what was typed, which goes when that is put right.
  void refuse(const QString& news);
  void mend();
  /// All of it, a line each.
  QString text() const { return lines_.join('\n'); }
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
  bool ofInput_ = false;      // what is shown is about what was typed
  QPointer<QWidget> before_;  // had the keys when it was opened
  QPlainTextEdit* all_;
  QStringList lines_;
  QString lastText_;
};

}  // namespace imprimo::app
