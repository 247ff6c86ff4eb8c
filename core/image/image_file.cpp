// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/image_file.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/image/elf_image.h"
#include "core/image/hex_digits.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"

namespace imprimo {
namespace {

constexpr std::size_t kHead = 4096;

bool isText(ByteSpan content) {
  return std::all_of(content.begin(), content.end(),
                     [](std::uint8_t c) { return c == '\n' || c == '\r' || c == '\t' || (c >= 0x20 && c < 0x7F); });
}

std::string_view asText(ByteSpan content) {
  return {reinterpret_cast<const char*>(content.data()), content.size()};
}

/// Eight digits behind the mark: no record has fewer, and few other texts begin so.
bool beginsWithDigits(ByteSpan content) {
  return content.size() >= 8 && std::all_of(content.begin(), content.begin() + 8,
                                            [](std::uint8_t c) { return digitValue(static_cast<char>(c)) >= 0; });
}

void takeRecords(ImageFile& file, RecordFile&& records) {
  file.image = std::move(records.image);
  file.entry = records.entry;
  // An S-record file always ends with an address; 0 is what tools write that know none.
  if (file.format == ImageFormat::Motorola && records.entry == 0) file.entry.reset();
  if (!records.header.empty()) file.note = "header: " + records.header;
  for (std::string& remark : records.remarks) file.remarks.push_back(std::move(remark));
}

void takeElf(ImageFile& file, ElfFile&& elf) {
  file.machine = elf.machineName();
  file.note = fmt::format("{}-bit {}, {} byte first", elf.wide ? 64 : 32, file.machine, elf.bigEndian ? "high" : "low");
  file.entry = elf.entry;
  file.image = std::move(elf.image);
}

ImageFile begin(ByteSpan head, const std::string& name, std::optional<ImageFormat> told) {
  FormatChoice choice = formatOf(head, name);
  ImageFile file;
  file.format = told.value_or(choice.format);
  file.hasAddresses = file.format != ImageFormat::Raw;
  if (!told && !choice.remark.empty()) file.remarks.push_back(std::move(choice.remark));
  if (told && *told != choice.format) {
    file.remarks.push_back(
        fmt::format("read as {}, as it was told to be; it looks like {}", nameOf(*told), nameOf(choice.format)));
  }
  return file;
}

void readRecords(ImageFile& file, RecordLines& lines, std::uint64_t fileBytes) {
  // Two digits for each byte, and more around them: so many bytes at most.
  const std::uint64_t expected = fileBytes / 2;
  takeRecords(file,
              file.format == ImageFormat::IntelHex ? readIntelHex(lines, expected) : readSRecords(lines, expected));
}

}  // namespace

const char* nameOf(ImageFormat format) {
  switch (format) {
    case ImageFormat::Raw:
      return "raw binary";
    case ImageFormat::IntelHex:
      return "Intel HEX";
    case ImageFormat::Motorola:
      return "S-records";
    case ImageFormat::Elf:
      return "ELF";
  }
  return "";
}

namespace {
constexpr std::pair<const char*, ImageFormat> kShortNames[] = {{"bin", ImageFormat::Raw},
                                                               {"hex", ImageFormat::IntelHex},
                                                               {"srec", ImageFormat::Motorola},
                                                               {"elf", ImageFormat::Elf}};
}  // namespace

std::optional<ImageFormat> formatNamed(std::string_view name) {
  for (const auto& [text, format] : kShortNames) {
    if (name == text) return format;
  }
  return std::nullopt;
}

const char* shortNameOf(ImageFormat format) {
  for (const auto& [text, other] : kShortNames) {
    if (format == other) return text;
  }
  return "";
}

FormatChoice formatOf(ByteSpan content, const std::string& name) {
  if (content.empty()) {
    throw Error(ErrorKind::BadFile, fmt::format("{} is empty", name),
                "Check that the tool that makes it has finished.");
  }
  const ByteSpan head = content.first(std::min(content.size(), kHead));
  if (looksLikeElf(head)) return {ImageFormat::Elf};
  if (!isText(head)) return {ImageFormat::Raw};
  const bool colon = head[0] == ':';
  const bool letter = head.size() > 1 && head[0] == 'S' && head[1] >= '0' && head[1] <= '9';
  if (colon && beginsWithDigits(head.subspan(1))) return {ImageFormat::IntelHex};
  if (letter && beginsWithDigits(head.subspan(2))) return {ImageFormat::Motorola};
  if (colon || letter) {
    return {ImageFormat::Raw, fmt::format("begins like {}, but its first line is no record: taken as raw binary",
                                          nameOf(colon ? ImageFormat::IntelHex : ImageFormat::Motorola))};
  }
  return {ImageFormat::Raw};
}

ImageFile readImage(ByteSpan content, const std::string& name, std::optional<ImageFormat> told) {
  ImageFile file = begin(content, name, told);
  file.fileBytes = content.size();
  if (file.format == ImageFormat::Raw) {
    file.image.write(0, content);
  } else if (file.format == ImageFormat::Elf) {
    takeElf(file, readElf(content, name));
  } else {
    RecordLines lines(asText(content), name);
    readRecords(file, lines, content.size());
  }
  return file;
}

ImageFile readImageFile(const std::filesystem::path& path, std::optional<ImageFormat> told, const ReadRules& rules) {
  InputFile input(path, kImageFile, rules);
  Bytes head(kHead);
  head.resize(input.read(head));
  ImageFile file = begin(head, path.string(), told);
  file.fileBytes = input.size();
  if (file.format == ImageFormat::IntelHex || file.format == ImageFormat::Motorola) {
    std::size_t given = 0;
    const TextSource source = [&](std::span<char> into) {
      const std::span<std::uint8_t> bytes(reinterpret_cast<std::uint8_t*>(into.data()), into.size());
      if (given == head.size()) return input.read(bytes);
      const std::size_t count = std::min(into.size(), head.size() - given);
      std::copy_n(head.begin() + static_cast<std::ptrdiff_t>(given), count, bytes.begin());
      given += count;
      return count;
    };
    RecordLines lines(source, path.string());
    readRecords(file, lines, file.fileBytes);
    return file;
  }
  Bytes content = std::move(head);
  input.readRest(content);
  file.fileBytes = content.size();
  if (file.format == ImageFormat::Elf) {
    takeElf(file, readElf(content, path.string()));
  } else {
    file.image.write(0, std::move(content));
  }
  return file;
}

}  // namespace imprimo
