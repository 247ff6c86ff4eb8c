// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/image/image_file.h"

namespace imprimo {

/// How an image is written out.
struct OutputFormat {
  ImageFormat format = ImageFormat::Raw;
  std::optional<int> addressBytes;  ///< S-records: 2, 3 or 4; without it as many as are needed
};

/// By a name ("bin", "hex", "s19", "s28", "s37"), which may be a file's extension with or without its dot; case does
/// not matter. Nothing for any other.
std::optional<OutputFormat> outputFormat(std::string_view name);

/// What of the addresses is written.
struct OutputRange {
  std::optional<std::uint64_t> from, size;  ///< with a size it is [from, from + size), from being 0 if not given
  std::uint8_t fill = kBlankByte;           ///< between data
};

/// The file's bytes. Raw output starts at the lowest address that has data, or at `from`; formats with addresses keep
/// gaps, unless a size says that all of it is wanted. Throws Usage for data outside of the range, for an empty image,
/// and for addresses that the format does not reach.
Bytes imageBytes(const MemoryImage& image, const OutputFormat& format, const OutputRange& range = {});

}  // namespace imprimo
