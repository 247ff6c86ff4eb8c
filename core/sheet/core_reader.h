// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <vector>

#include "core/base/json_text.h"
#include "core/sheet/core_entry.h"
#include "core/sheet/speech_reader.h"

namespace imprimo::sheet {

/// What a core of the sheet is read from.
struct CoreText {
  JsonNode node;
  const std::vector<CoreEntry>& before;  ///< those that stand before it
  NoteUnknown note;
  /// The position of the device that a node names. Throws BadFile.
  std::function<std::size_t(const JsonNode&)> position;
};

/// One entry of "cores". Throws BadFile.
CoreEntry readCore(const CoreText& text);

}  // namespace imprimo::sheet
