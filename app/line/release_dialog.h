// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include "core/release/release_file.h"

namespace imprimo::app {

/// Freezes and signs a sheet: its number, how the line works with it, and the passphrase of the key, which is made
/// where there is none.
class ReleaseDialog : public QDialog {
  Q_OBJECT
 public:
  explicit ReleaseDialog(sheet::Sheet sheet, QWidget* parent = nullptr);
  /// Where it was saved, after it was.
  const QString& file() const { return file_; }
  /// Signs and saves there.
  void saveTo(const QString& file);

 private:
  release::LineRules rules() const;
  release::SigningKey key();
  void chooseFile();
  void refresh();

  const sheet::Sheet sheet_;
  bool fresh_;  // there is no key yet
  QString file_;
  QSpinBox* number_;
  QCheckBox *byItself_, *signOn_;
  QLineEdit *units_, *good_, *failed_, *name_, *once_, *again_;
  QLabel* problem_;
  QPushButton* go_;
};

}  // namespace imprimo::app
