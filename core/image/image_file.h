// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/input_file.h"
#include "core/image/memory_image.h"

namespace imprimo {

enum class ImageFormat { Raw, IntelHex, Motorola, Elf };

/// What people call it: "raw binary", "Intel HEX", "S-records", "ELF".
const char* nameOf(ImageFormat format);
/// How it is asked for: "bin", "hex", "srec", "elf"; nothing for any other name.
std::optional<ImageFormat> formatNamed(std::string_view name);
const char* shortNameOf(ImageFormat format);

/// Which format, and why, where the content would allow another one too.
struct FormatChoice {
  ImageFormat format = ImageFormat::Raw;
  std::string remark = {};
};

/// Decides by how the content begins, not by the name: ELF by its magic number; Intel HEX and S-records when it is text
/// whose first line is shaped like one of their records. Throws BadFile for an empty file.
FormatChoice formatOf(ByteSpan head, const std::string& name);

struct ImageFile {
  ImageFormat format = ImageFormat::Raw;
  bool hasAddresses = false;  ///< raw binary has none; its bytes stand at 0
  MemoryImage image = {};
  std::optional<std::uint64_t> entry = {};  ///< where the code begins, if the file says so
  std::string note = {};                    ///< what else it says: a header's text, the machine; empty for nothing
  std::string machine = {};                 ///< whose code it is, if the file says so ("Arm")
  std::vector<std::string> remarks = {};    ///< what is odd and does no harm
  std::uint64_t fileBytes = 0;
};

/// `told` is read as that, whatever it looks like. Files of records are not held in memory as text. Throws BadFile.
ImageFile readImageFile(const std::filesystem::path& path, std::optional<ImageFormat> told = {},
                        const ReadRules& rules = {});
ImageFile readImage(ByteSpan content, const std::string& name, std::optional<ImageFormat> told = {});

}  // namespace imprimo
