// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/units/definition.h"

namespace imprimo::units {

/// The value that a text means, in as many bytes as the field has. Throws Usage where it is none of this form, or too
/// wide for the field, naming both.
Bytes bytesOf(const Field& field, const std::string& text);

/// A number as the field's text: decimal or hexadecimal as its source counts, MAC addresses with colons.
std::string textOf(const Field& field, std::uint64_t number);

/// Bytes as the field's text: how a random or derived value, or one read from a part, is written.
std::string textOf(const Field& field, ByteSpan bytes);

/// The number that a value is, for texts with {field:06}. Nothing where it is none of up to 8 bytes.
std::optional<std::uint64_t> numberOf(const Field& field, const std::string& text);

}  // namespace imprimo::units
