// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "core/image/memory_image.h"

namespace imprimo {

enum class ImageFormat { Raw, IntelHex, Motorola, Elf };

/// What people call it: "raw binary", "Intel HEX", "S-records", "ELF".
const char* nameOf(ImageFormat format);

/// Decides by the content, not by the name: ELF by its magic number; Intel HEX and S-records when all of it is text
/// that begins with ':', or with 'S' and a digit. Throws BadFile for an empty file.
ImageFormat formatOf(ByteSpan content, const std::string& name);

struct ImageFile {
  ImageFormat format = ImageFormat::Raw;
  bool hasAddresses = false;  ///< raw binary has none; its bytes stand at 0
  MemoryImage image;
  std::optional<std::uint64_t> entry;  ///< where the code begins, if the file says so
  std::string note;                    ///< what else it says: a header's text, the machine; empty for nothing
};

/// Throws BadFile.
ImageFile readImageFile(const std::filesystem::path& path);
ImageFile readImage(ByteSpan content, const std::string& name);

}  // namespace imprimo
