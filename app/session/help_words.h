// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include "core/base/error.h"

namespace imprimo::app {

/// A message of the core with what would help, in the words of this window: it names the control.
QString withHelp(const QString& message, Help help);
/// Sentence, remedy and help of an error.
QString told(const Error& error);

}  // namespace imprimo::app
