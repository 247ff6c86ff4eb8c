// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/image_file.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/text_file.h"
#include "core/image/intel_hex.h"

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

[[noreturn]] void refuse(const std::string& name, const char* what, const char* remedy) {
  throw Error(ErrorKind::BadFile, fmt::format("{} {}", name, what), remedy);
}

}  // namespace

const char* nameOf(ImageFormat format) {
  return format == ImageFormat::IntelHex ? "Intel HEX" : "raw binary";
}

ImageFormat formatOf(ByteSpan content, const std::string& name) {
  if (content.empty()) refuse(name, "is empty", "Check that the tool that makes it has finished.");
  constexpr std::uint8_t kElf[] = {0x7F, 'E', 'L', 'F'};
  if (content.size() > 4 && std::equal(std::begin(kElf), std::end(kElf), content.begin())) {
    refuse(name, "is an ELF file, not memory contents", "Make an Intel HEX file of it and place that.");
  }
  if (looksLikeSRecord(content)) {
    refuse(name, "holds S-records, not memory contents that can be read here",
           "Make an Intel HEX file of it and place that.");
  }
  if (content[0] == ':' && isText(content)) return ImageFormat::IntelHex;
  return ImageFormat::Raw;
}

ImageFile readImage(ByteSpan content, const std::string& name) {
  ImageFile file;
  file.format = formatOf(content, name);
  if (file.format == ImageFormat::IntelHex) {
    file.hasAddresses = true;
    file.image = readIntelHex(asText(content), name);
  } else {
    file.image.write(0, content);
  }
  return file;
}

ImageFile readImageFile(const std::filesystem::path& path) {
  return readImage(readFile(path), path.string());
}

}  // namespace imprimo
