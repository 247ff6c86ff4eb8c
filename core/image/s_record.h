// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/image/memory_image.h"

namespace imprimo {

/// What S-records hold besides data.
struct SRecordFile {
  MemoryImage image;
  std::string header;                  ///< the text of S0, as far as it can be printed
  std::optional<std::uint32_t> entry;  ///< of S7, S8 or S9
};

/// Reads Motorola S-records: S1, S2 and S3 hold data, S5 and S6 a count that has to be right, S7 to S9 end the file.
/// Lines end in LF, CR LF or CR, the last one need not. Throws BadFile "NAME: line N: ..." for a bad digit, length,
/// checksum, type or count, for data after the end record, for a file without one, for two records that put different
/// bytes at one address, and for a record that runs past the end of its addresses.
SRecordFile readSRecords(std::string_view text, const std::string& name);

struct SRecordOptions {
  std::size_t recordLength = 16;    ///< data bytes in a record, 1 to 250
  std::optional<int> addressBytes;  ///< 2, 3 or 4; without it as many as the highest address needs
  std::string header;
  std::uint32_t entry = 0;
};

/// Records begin at multiples of their length, so the same image always gives the same text. LF line ends. Throws Usage
/// where an address does not fit.
std::string writeSRecords(const MemoryImage& image, const SRecordOptions& options = {});

}  // namespace imprimo
