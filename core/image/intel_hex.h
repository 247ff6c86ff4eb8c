// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

#include "core/image/memory_image.h"

namespace imprimo {

/// Reads Intel HEX (record types 00 to 05; lines end in LF, CR LF or CR, the last one need not). Start records are
/// accepted and not kept. Throws BadFile "NAME: line N: ..." for a bad digit, length, checksum or type, for data after
/// the end record, for a file without one, for two records that put different bytes at one address, and for a record
/// that runs past the end of the address space.
MemoryImage readIntelHex(std::string_view text, const std::string& name);

/// Writes 16-byte records with type 04 records where the upper half of the address changes, LF line ends. Addresses
/// must be below 4 GiB; throws Usage otherwise.
std::string writeIntelHex(const MemoryImage& image);

}  // namespace imprimo
