// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/release/secret_text.h"
#include "ctl/command.h"

namespace imprimo::ctl {

/// The first line of a file ("-": standard input); without one it is asked for at the terminal, which does not show it.
/// Never an option's value: those are seen by everybody on the computer. Throws Usage where there is no terminal,
/// BadFile.
release::SecretText passphraseFrom(const std::string& file, const char* question);

}  // namespace imprimo::ctl
