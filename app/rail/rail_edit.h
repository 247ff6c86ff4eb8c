// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>
#include <functional>

namespace imprimo::app {

/// A line to type into, over the place of what is typed: Return takes it, Escape and leaving it do not. A line that is
/// not taken stays open.
class RailEdit : public QLineEdit {
  Q_OBJECT
 public:
  explicit RailEdit(QWidget* parent);
  /// `take` says whether it was taken.
  void open(const QRect& place, const QString& text, const QString& name, std::function<bool(const QString&)> take);

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  void close();
  std::function<bool(const QString&)> take_;
};

}  // namespace imprimo::app
