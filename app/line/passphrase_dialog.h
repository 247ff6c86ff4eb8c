// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTimer>
#include <functional>

#include "core/release/secret_text.h"

namespace imprimo::app {

/// Asks for a passphrase, or for a new one twice. It stays until what is done with it works.
class PassphraseDialog : public QDialog {
  Q_OBJECT
 public:
  /// `act` throws Error where the passphrase does not do. `wait`: seconds until the next may be tried.
  PassphraseDialog(const QString& heading, bool fresh, std::function<void(const release::SecretText&)> act,
                   std::function<double()> wait, QWidget* parent = nullptr);

 private:
  void tryIt();
  void refresh();

  std::function<void(const release::SecretText&)> act_;
  std::function<double()> wait_;
  QLineEdit *once_, *again_ = nullptr;
  QLabel* problem_;
  QPushButton* go_;
  QTimer tick_;
};

}  // namespace imprimo::app
