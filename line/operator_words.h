// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/base/error.h"
#include "line/board_run.h"

namespace imprimo::line {

/// What went wrong, in one sentence for somebody who knows boards and no memories.
std::string operatorSentence(const Error& error, BoardResult::Kind kind);
/// "Done", "Failed", "Stop": what is read from three metres.
const char* answerOf(BoardResult::Kind kind);

}  // namespace imprimo::line
