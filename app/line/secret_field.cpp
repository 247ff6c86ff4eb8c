// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/secret_field.h"

#include "app/look/theme.h"

namespace imprimo::app {

QLineEdit* secretField(QWidget* parent, const char* name, const QString& words) {
  auto* edit = new QLineEdit(parent);
  edit->setObjectName(name);
  edit->setEchoMode(QLineEdit::Password);
  edit->setPlaceholderText(words);
  edit->setAccessibleName(words);
  edit->setFont(textFont(14));
  edit->setMaxLength(256);
  return edit;
}

/// What Qt keeps of a field is not ours to overwrite: it is filled with something else of the same length at least.
release::SecretText takenFrom(QLineEdit* edit) {
  QString text = edit->text();
  release::SecretText secret(text.toStdString());
  text.fill(QChar(' '));
  edit->setText(text);
  edit->clear();
  return secret;
}

}  // namespace imprimo::app
