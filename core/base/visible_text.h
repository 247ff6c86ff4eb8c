// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

namespace imprimo {

/// Text from elsewhere (probes, files, names) with what a terminal would obey made visible: ESC as "\e", line feeds and
/// tabs as "\n" and "\t", other control characters as "\x07", bytes that are not UTF-8 as "\xFF".
std::string visibleText(std::string_view text);
/// The same of text that has lines: line feeds and tabs stay.
std::string visibleLines(std::string_view text);

}  // namespace imprimo
