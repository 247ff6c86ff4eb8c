// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>

#include "core/release/secret_text.h"

namespace imprimo::app {

/// A field for a passphrase, which nobody sees.
QLineEdit* secretField(QWidget* parent, const char* name, const QString& words);
/// Its text as a secret; the field has it no longer. Throws Usage for one that is too long.
release::SecretText takenFrom(QLineEdit* edit);

}  // namespace imprimo::app
