// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <cstdint>
#include <optional>

namespace imprimo::app {

/// "0x1F", "1FA0" with at least one letter, "31", "64K". Nothing for anything else.
std::optional<std::uint64_t> parseAddress(const QString& text);

}  // namespace imprimo::app
