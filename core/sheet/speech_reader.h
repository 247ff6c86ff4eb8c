// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string_view>

#include "core/base/json_text.h"
#include "core/sheet/core_speech.h"

namespace imprimo::sheet {

/// What is done with keys of an object that are not those of `place` (sheet_keys.h).
using NoteUnknown = std::function<void(const JsonNode& node, std::string_view place)>;

/// `console` of a core (docs/formats/job-sheet.md). Throws BadFile with file and line.
CoreSpeech readSpeech(const JsonNode& node, const NoteUnknown& note);

}  // namespace imprimo::sheet
