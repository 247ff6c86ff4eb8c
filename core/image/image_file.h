// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/image/memory_image.h"

namespace imprimo {

enum class ImageFormat { Raw, IntelHex };

/// What people call it: "raw binary", "Intel HEX".
const char* nameOf(ImageFormat format);

/// Decides by the content, not by the name: Intel HEX when all of it is text and the first character is ':'. Throws
/// BadFile for an empty file and for formats that are recognised but not read.
ImageFormat formatOf(ByteSpan content, const std::string& name);

struct ImageFile {
  ImageFormat format = ImageFormat::Raw;
  bool hasAddresses = false;  ///< raw binary has none; its bytes stand at 0
  MemoryImage image;
};

/// Throws BadFile.
ImageFile readImageFile(const std::filesystem::path& path);
ImageFile readImage(ByteSpan content, const std::string& name);

}  // namespace imprimo
