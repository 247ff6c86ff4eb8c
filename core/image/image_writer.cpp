// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/image_writer.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"

namespace imprimo {
namespace {

/// A raw file with more empty space than this is a slip: data at 0 and at 0x80000000 in one file.
constexpr std::uint64_t kMostRaw = 4ull << 30;

Bytes asBytes(const std::string& text) {
  return Bytes(text.begin(), text.end());
}

AddressRange rangeOf(const MemoryImage& image, const OutputRange& wanted) {
  const AddressRange extent = image.extent();
  AddressRange range = extent;
  if (wanted.size) {
    range.begin = wanted.from.value_or(0);
    if (*wanted.size == 0 || *wanted.size > UINT64_MAX - range.begin) {
      throw Error(ErrorKind::Usage, "--size has to be at least 1, and not past all addresses");
    }
    range.end = range.begin + *wanted.size;
  } else if (wanted.from) {
    range.begin = *wanted.from;
    range.end = std::max(range.end, range.begin);
  }
  if (extent.begin < range.begin || extent.end > range.end) {
    throw Error(ErrorKind::Usage,
                fmt::format("there is data at {}, outside of {}", rangeText(extent), rangeText(range)),
                "Make the range larger, or move the data.");
  }
  return range;
}

}  // namespace

std::optional<OutputFormat> outputFormat(std::string_view name) {
  if (name.starts_with('.')) name.remove_prefix(1);
  std::string lower(name);
  std::transform(lower.begin(), lower.end(), lower.begin(),
                 [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; });
  if (lower == "bin") return OutputFormat{ImageFormat::Raw, {}};
  if (lower == "hex") return OutputFormat{ImageFormat::IntelHex, {}};
  if (lower == "s19") return OutputFormat{ImageFormat::Motorola, 2};
  if (lower == "s28") return OutputFormat{ImageFormat::Motorola, 3};
  if (lower == "s37") return OutputFormat{ImageFormat::Motorola, 4};
  return std::nullopt;
}

Bytes imageBytes(const MemoryImage& image, const OutputFormat& format, const OutputRange& wanted) {
  if (image.empty()) throw Error(ErrorKind::Usage, "there is nothing to write: no file has any data");
  const AddressRange range = rangeOf(image, wanted);
  if (format.format == ImageFormat::Raw || wanted.size) {
    if (range.size() > kMostRaw) {
      throw Error(ErrorKind::Usage,
                  fmt::format("from {} to {} a raw file would have {}", hexAddress(range.begin),
                              hexAddress(range.end - 1), sizeText(range.size())),
                  "Write Intel HEX or S-records, which keep gaps, or place the files closer together.");
    }
    Bytes whole = image.bytes(range, wanted.fill);
    if (format.format == ImageFormat::Raw) return whole;
    MemoryImage filled;
    filled.write(range.begin, whole);
    return imageBytes(filled, format, {});
  }
  if (format.format == ImageFormat::IntelHex) return asBytes(writeIntelHex(image));
  return asBytes(writeSRecords(image, {16, format.addressBytes, {}, 0}));
}

}  // namespace imprimo
