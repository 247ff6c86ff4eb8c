// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/input_file.h"
#include "core/image/format_choice.h"
#include "core/image/memory_image.h"

namespace imprimo {

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
