// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/image/image_file.h"
#include "core/image/record_rows.h"

namespace imprimo {

/// How an image is written out.
struct OutputFormat {
  ImageFormat format = ImageFormat::Raw;
  /// S-records: 16, 24 or 32, or without it as many as are needed; Intel HEX: 16, 20 or 32 (which it is without).
  std::optional<int> addressBits = {};
  std::size_t recordLength = 16;            ///< data bytes in a record
  std::optional<std::uint32_t> entry = {};  ///< where the code begins
  bool widens = false;                      ///< the bits come from a name: more are taken where the data needs them
};

/// By a name ("bin", "hex", "s19", "s28", "s37"), which may be a file's extension with or without its dot; case does
/// not matter. Nothing for any other.
std::optional<OutputFormat> outputFormat(std::string_view name);

/// What of the addresses is written.
struct OutputRange {
  std::optional<std::uint64_t> from = {},
                               size = {};  ///< with a size it is [from, from + size), from being 0 if not given
  std::uint8_t fill = kBlankByte;          ///< between data
};

/// Empty bytes that a raw file of this image has between its data (with a `from`, also before it); 0 for other formats
/// and where a size says that all of it is wanted.
std::uint64_t fillingOf(const MemoryImage& image, const OutputFormat& format, const OutputRange& range);

/// What is written instead, where the data does not fit into the bits that only a name gave: "S-records have 24-bit
/// addresses (S2), since the data goes to 0x012FFF". Empty where it fits.
std::string widening(const MemoryImage& image, const OutputFormat& format, const OutputRange& range);

/// Gives the file's bytes to `sink`, a piece at a time. Raw output starts at the lowest address that has data, or at
/// `from`; formats with addresses keep gaps, unless a size says that all of it is wanted. Throws Usage before anything
/// is given: for data outside of the range, for an empty image, and for addresses that the format does not reach.
void writeImage(const MemoryImage& image, const OutputFormat& format, const OutputRange& range, const ByteSink& sink);
Bytes imageBytes(const MemoryImage& image, const OutputFormat& format, const OutputRange& range = {});
/// Writes a whole file or none; it can be made again, so the disk is not waited for. Gives its size. Throws Usage,
/// CannotWrite, and Stopped between pieces.
std::uint64_t saveImage(const MemoryImage& image, const OutputFormat& format, const OutputRange& range,
                        const std::filesystem::path& path, const std::stop_token& stop = {});

/// What was read of a part into a file: Intel HEX with its addresses where the name ends in .hex, otherwise raw.
/// Returns when it is on disk. Throws CannotWrite; then nothing is left behind.
void writeReadBack(const std::filesystem::path& path, std::uint64_t address, Bytes bytes);

}  // namespace imprimo
