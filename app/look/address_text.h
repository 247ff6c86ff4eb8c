// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <cstdint>
#include <optional>

#include "core/base/bytes.h"

namespace imprimo::app {

/// "0x1F", "1FA0" with at least one letter, "31", "64K". Nothing for anything else.
std::optional<std::uint64_t> parseAddress(const QString& text);

/// That this is none, and how one is written.
QString noAddress(const QString& typed);

/// Hexadecimal bytes ("a5 4d", "a54d") or, in quotes or where it is not that, a text.
Bytes parseNeedle(const QString& text);

}  // namespace imprimo::app
