// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/image_file.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/image/elf_image.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"

namespace imprimo {
namespace {

constexpr std::size_t kFirstBytes = 4096;

std::string_view asText(ByteSpan content) {
  return {reinterpret_cast<const char*>(content.data()), content.size()};
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
  FormatChoice choice = told && !head.empty() ? guessFormat(head, name) : formatOf(head, name);
  ImageFile file;
  file.format = told.value_or(choice.format);
  file.hasAddresses = file.format != ImageFormat::Raw;
  if (!told && !choice.remark.empty()) file.remarks.push_back(std::move(choice.remark));
  if (told && !choice.problem.empty()) {
    file.remarks.push_back(fmt::format("read as {}, as it was told to be: {}", nameOf(*told), choice.problem));
  } else if (told && *told != choice.format) {
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
  Bytes head(kFirstBytes);
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
