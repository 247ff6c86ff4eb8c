// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/image_file.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/text_file.h"
#include "core/image/elf_image.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"

namespace imprimo {
namespace {

bool isText(ByteSpan content) {
  return std::all_of(content.begin(), content.end(),
                     [](std::uint8_t c) { return c == '\n' || c == '\r' || c == '\t' || (c >= 0x20 && c < 0x7F); });
}

std::string_view asText(ByteSpan content) {
  return {reinterpret_cast<const char*>(content.data()), content.size()};
}

bool looksLikeSRecord(ByteSpan content) {
  return content.size() > 10 && content[0] == 'S' && content[1] >= '0' && content[1] <= '9' && isText(content);
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

ImageFormat formatOf(ByteSpan content, const std::string& name) {
  if (content.empty()) {
    throw Error(ErrorKind::BadFile, fmt::format("{} is empty", name),
                "Check that the tool that makes it has finished.");
  }
  if (looksLikeElf(content)) return ImageFormat::Elf;
  if (looksLikeSRecord(content)) return ImageFormat::Motorola;
  if (content[0] == ':' && isText(content)) return ImageFormat::IntelHex;
  return ImageFormat::Raw;
}

ImageFile readImage(ByteSpan content, const std::string& name) {
  ImageFile file;
  file.format = formatOf(content, name);
  file.hasAddresses = file.format != ImageFormat::Raw;
  switch (file.format) {
    case ImageFormat::Raw:
      file.image.write(0, content);
      break;
    case ImageFormat::IntelHex:
      file.image = readIntelHex(asText(content), name);
      break;
    case ImageFormat::Motorola: {
      SRecordFile records = readSRecords(asText(content), name);
      file.image = std::move(records.image);
      if (records.entry.value_or(0) != 0) file.entry = records.entry;
      if (!records.header.empty()) file.note = "header: " + records.header;
      break;
    }
    case ImageFormat::Elf: {
      ElfFile elf = readElf(content, name);
      file.note = fmt::format("{}-bit {}, {} byte first", elf.wide ? 64 : 32, elf.machineName(),
                              elf.bigEndian ? "high" : "low");
      file.entry = elf.entry;
      file.image = std::move(elf.image);
      break;
    }
  }
  return file;
}

ImageFile readImageFile(const std::filesystem::path& path) {
  return readImage(readFile(path), path.string());
}

}  // namespace imprimo
