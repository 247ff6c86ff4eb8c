// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/base/json_text.h"
#include "core/units/definition.h"

namespace imprimo::units {

/// What the reader asks of the sheet that the definition stands in.
struct SheetWords {
  std::function<void(const JsonNode& node, std::string_view place)> note;  ///< unknown keys
  std::function<std::string(const JsonNode&node)> memory, core;            ///< names; they fail for one that is none
};

/// `units` of a sheet (docs/formats/units.md). Throws BadValue.
Definition readDefinition(const JsonNode& node, const SheetWords& words);

}  // namespace imprimo::units
