// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "core/base/address_range.h"

namespace imprimo {

/// "0x1F", "31", "64K", "8M" (1024-based). Nothing for anything else, or for what does not fit 64 bits.
std::optional<std::uint64_t> parseNumber(std::string_view text);

/// "A..B", "A - B" or "A – B" (both ends included), or "A+N". Nothing for anything else, for B before A, and for N = 0.
std::optional<AddressRange> parseRange(std::string_view text);

/// "0x003A10": upper case, at least six digits.
std::string hexAddress(std::uint64_t address);
/// "0x3A": upper case, two digits.
std::string hexByte(std::uint8_t byte);
/// "0x1f40affd": lower case, eight digits.
std::string hexIdcode(std::uint32_t idcode);
/// "0x003000 – 0x003FFF", both ends included. Empty ranges are "nothing".
std::string rangeText(const AddressRange& range);
/// "1.13 MiB", "186 KiB", "12 bytes": binary units, at most three significant digits.
std::string sizeText(std::uint64_t bytes);
/// "9.46 Mbit", "36.9 kbit", "128 bits": decimal units, as clocks are counted.
std::string bitsText(std::uint64_t bits);
/// "12 MHz", "1.5 kHz"; up to six digits.
std::string hertzText(double hz);
/// "0.4 s", "12 s", "3 min 5 s", "80 ms".
std::string durationText(double seconds);
/// "1 block", "34 blocks".
std::string countText(std::uint64_t n, std::string_view singular);

}  // namespace imprimo
