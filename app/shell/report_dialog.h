// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QPlainTextEdit>

namespace imprimo::app {

/// What can be sent with a problem, to be read, changed, copied or saved. Nothing is sent from here.
class ReportDialog : public QDialog {
  Q_OBJECT
 public:
  explicit ReportDialog(const QString& text, QWidget* parent = nullptr);

 private:
  void save();

  QPlainTextEdit* text_;
};

}  // namespace imprimo::app
