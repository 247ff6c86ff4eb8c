// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/image_writer.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"

namespace imprimo {
namespace {

/// A raw file with more empty space than this is a slip: data at 0 and at 0x80000000 in one file.
constexpr std::uint64_t kMostRaw = 4ull << 30;

AddressRange rangeOf(const MemoryImage& image, const OutputRange& wanted) {
  const AddressRange extent = image.extent();
  AddressRange range = extent;
  if (wanted.size) {
    range.begin = wanted.from.value_or(0);
    if (*wanted.size == 0 || *wanted.size > UINT64_MAX - range.begin) {
      throw Error(ErrorKind::Usage, "the size has to be at least 1, and not past all addresses");
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

void writeRaw(const MemoryImage& image, const Filling& filling, const ByteSink& sink) {
  constexpr std::uint64_t kPiece = 1 << 20;
  const Bytes empty(std::min(filling.range.size(), kPiece), filling.fill);
  const auto fillTo = [&](std::uint64_t from, std::uint64_t to) {
    for (; from < to; from += std::min(to - from, kPiece)) sink(ByteSpan(empty).first(std::min(to - from, kPiece)));
  };
  std::uint64_t at = filling.range.begin;
  for (const MemoryImage::Segment& segment : image.segments()) {
    fillTo(at, segment.begin);
    sink(segment.bytes);
    at = segment.range().end;
  }
  fillTo(at, filling.range.end);
}

}  // namespace

std::optional<OutputFormat> outputFormat(std::string_view name) {
  if (name.starts_with('.')) name.remove_prefix(1);
  std::string lower(name);
  std::transform(lower.begin(), lower.end(), lower.begin(),
                 [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; });
  if (lower == "bin") return OutputFormat{ImageFormat::Raw, {}};
  if (lower == "hex") return OutputFormat{ImageFormat::IntelHex, {}};
  if (lower == "s19") return OutputFormat{ImageFormat::Motorola, 16, 16, {}, true};
  if (lower == "s28") return OutputFormat{ImageFormat::Motorola, 24, 16, {}, true};
  if (lower == "s37") return OutputFormat{ImageFormat::Motorola, 32};
  return std::nullopt;
}

std::uint64_t fillingOf(const MemoryImage& image, const OutputFormat& format, const OutputRange& range) {
  if (format.format != ImageFormat::Raw || range.size || image.empty()) return 0;
  return rangeOf(image, range).size() - image.byteCount();
}

namespace {

std::uint64_t lastAddress(const MemoryImage& image, const OutputFormat& format, const OutputRange& range) {
  const std::uint64_t end = std::max(image.extent().end, range.size ? range.from.value_or(0) + *range.size : 0);
  return std::max<std::uint64_t>(end == 0 ? 0 : end - 1, format.entry.value_or(0));
}

bool fits(std::uint64_t last, const OutputFormat& format) {
  return !format.widens || !format.addressBits || last >> *format.addressBits == 0;
}

}  // namespace

std::string widening(const MemoryImage& image, const OutputFormat& format, const OutputRange& range) {
  const std::uint64_t last = lastAddress(image, format, range);
  if (fits(last, format) || last > 0xFFFFFFFF) return {};
  const int bytes = last <= 0xFFFFFF ? 3 : 4;
  return fmt::format("S-records have {}-bit addresses (S{}), since the data goes to {}", 8 * bytes, bytes - 1,
                     hexAddress(last));
}

void writeImage(const MemoryImage& image, const OutputFormat& format, const OutputRange& wanted, const ByteSink& sink) {
  if (image.empty()) throw Error(ErrorKind::Usage, "there is nothing to write: no file has any data");
  const AddressRange range = rangeOf(image, wanted);
  std::optional<Filling> filling;
  if (format.format == ImageFormat::Raw || wanted.size) {
    if (range.size() > kMostRaw) {
      throw Error(ErrorKind::Usage,
                  fmt::format("from {} to {} a raw file would have {}", hexAddress(range.begin),
                              hexAddress(range.end - 1), sizeText(range.size())),
                  "Write Intel HEX or S-records, which keep gaps, or place the files closer together.");
    }
    filling = Filling{range, wanted.fill};
  }
  switch (format.format) {
    case ImageFormat::Raw:
      return writeRaw(image, *filling, sink);
    case ImageFormat::IntelHex:
      return writeIntelHex(image, {format.recordLength, format.addressBits.value_or(32), format.entry, filling}, sink);
    case ImageFormat::Motorola: {
      SRecordOptions options{format.recordLength, {}, {}, format.entry.value_or(0), filling};
      if (format.addressBits && fits(lastAddress(image, format, wanted), format))
        options.addressBytes = *format.addressBits % 8 == 0 ? *format.addressBits / 8 : 0;
      return writeSRecords(image, options, sink);
    }
    case ImageFormat::Elf:
      break;
  }
  throw Error(ErrorKind::Usage, "ELF files are not written", "Write raw binary, Intel HEX or S-records.");
}

Bytes imageBytes(const MemoryImage& image, const OutputFormat& format, const OutputRange& range) {
  Bytes bytes;
  writeImage(image, format, range, [&](ByteSpan piece) { bytes.insert(bytes.end(), piece.begin(), piece.end()); });
  return bytes;
}

std::uint64_t saveImage(const MemoryImage& image, const OutputFormat& format, const OutputRange& range,
                        const std::filesystem::path& path, const std::stop_token& stop) {
  // Opened by the first piece, so that what cannot be written at all does not touch the disk.
  std::optional<AtomicFile> file;
  std::uint64_t bytes = 0;
  writeImage(image, format, range, [&](ByteSpan piece) {
    if (!file) file.emplace(path, format.format == ImageFormat::Raw ? rangeOf(image, range).size() : 0);
    constexpr std::size_t kPiece = 1 << 24;
    for (ByteSpan rest = piece; !rest.empty(); rest = rest.subspan(std::min(kPiece, rest.size()))) {
      if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped; nothing was written");
      file->write(rest.first(std::min(kPiece, rest.size())));
    }
    bytes += piece.size();
  });
  file->commitSoon();
  return bytes;
}

void writeReadBack(const std::filesystem::path& path, std::uint64_t address, Bytes bytes) {
  const auto format = outputFormat(path.extension().string());
  if (!format || format->format != ImageFormat::IntelHex) return writeFileAtomically(path, ByteSpan(bytes));
  MemoryImage image;
  image.write(address, std::move(bytes));
  writeFileAtomically(path, ByteSpan(imageBytes(image, *format)));
}

}  // namespace imprimo
