// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/passphrase_dialog.h"

#include <QVBoxLayout>
#include <cmath>

#include "app/line/dialog_foot.h"
#include "app/line/secret_field.h"
#include "app/session/help_words.h"

namespace imprimo::app {
PassphraseDialog::PassphraseDialog(const QString& heading, bool fresh,
                                   std::function<void(const release::SecretText&)> act, std::function<double()> wait,
                                   QWidget* parent)
    : QDialog(parent), act_(std::move(act)), wait_(std::move(wait)) {
  setObjectName("passphraseDialog");
  setWindowTitle(heading);
  auto* column = new QVBoxLayout(this);
  column->setSpacing(10);
  auto* title = new QLabel(heading, this);
  title->setFont(textFont(15, QFont::DemiBold));
  column->addWidget(title);
  once_ = secretField(this, "passphrase", tr("Passphrase"));
  once_->setMinimumWidth(360);
  column->addWidget(once_);
  if (fresh) {
    again_ = secretField(this, "passphraseAgain", tr("The same once more"));
    column->addWidget(again_);
  }
  const DialogFoot foot = addFoot(this, column, "passphrase", fresh ? tr("Lock") : tr("Unlock"));
  problem_ = foot.problem;
  go_ = foot.go;
  connect(go_, &QPushButton::clicked, this, &PassphraseDialog::tryIt);
  connect(&tick_, &QTimer::timeout, this, &PassphraseDialog::refresh);
  tick_.start(250);
  refresh();
}

void PassphraseDialog::tryIt() {
  if (!go_->isEnabled()) return;
  const bool same = again_ == nullptr || once_->text() == again_->text();
  const release::SecretText passphrase = takenFrom(once_);
  if (again_ != nullptr) static_cast<void>(takenFrom(again_));
  once_->setFocus();
  if (!same) return problem_->setText(tr("The two are not the same. Type them again."));
  try {
    act_(passphrase);
    accept();
  } catch (const Error& e) {
    problem_->setText(told(e));
    refresh();
  }
}

void PassphraseDialog::refresh() {
  const double seconds = wait_ ? wait_() : 0;
  go_->setEnabled(seconds <= 0);
  if (seconds > 0) problem_->setText(tr("After a wrong passphrase: %1 s until the next.").arg(std::ceil(seconds)));
}

}  // namespace imprimo::app
