// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

#include "core/image/record_lines.h"
#include "core/image/record_rows.h"

namespace imprimo {

/// Reads Intel HEX (record types 00 to 05). Start records give the entry: CS * 16 + IP, or EIP. Throws BadFile
/// "NAME: line N: ..." for a bad digit, length, checksum or type, for data after the end record, for a file without
/// one, for two records that put different bytes at one address, and for a record that runs past the end of the address
/// space.
RecordFile readIntelHex(RecordLines& lines, std::uint64_t expectedBytes = 0);
MemoryImage readIntelHex(std::string_view text, const std::string& name);

struct HexOptions {
  std::size_t recordLength = 16;            ///< data bytes in a record, 1 to 255
  int addressBits = 32;                     ///< 16, or 20 with segment records (02), or 32 with upper-half records (04)
  std::optional<std::uint32_t> entry = {};  ///< written as a start record: 05, or 03 with 20 bits; none with 16
  std::optional<Filling> filling = {};
};

/// The same image always gives the same text; LF line ends. Throws Usage where an address does not fit.
void writeIntelHex(const MemoryImage& image, const HexOptions& options, const ByteSink& sink);
std::string writeIntelHex(const MemoryImage& image, const HexOptions& options = {});

}  // namespace imprimo
