// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/image/record_lines.h"
#include "core/image/record_rows.h"

namespace imprimo {

/// Reads Motorola S-records: S1, S2 and S3 hold data, S5 and S6 a count that has to be right, S7 to S9 end the file and
/// give the entry. Throws BadFile "NAME: line N: ..." for a bad digit, length, checksum, type or count, for data after
/// the end record, for a file without one, for two records that put different bytes at one address, and for a record
/// that runs past the end of its addresses.
RecordFile readSRecords(RecordLines& lines, std::uint64_t expectedBytes = 0);
RecordFile readSRecords(std::string_view text, const std::string& name);

struct SRecordOptions {
  std::size_t recordLength = 16;         ///< data bytes in a record, 1 to 250
  std::optional<int> addressBytes = {};  ///< 2, 3 or 4; without it as many as the highest address needs
  std::string header = {};
  std::uint32_t entry = 0;
  std::optional<Filling> filling = {};
};

/// The same image always gives the same text; LF line ends. Throws Usage where an address does not fit.
void writeSRecords(const MemoryImage& image, const SRecordOptions& options, const ByteSink& sink);
std::string writeSRecords(const MemoryImage& image, const SRecordOptions& options = {});

}  // namespace imprimo
