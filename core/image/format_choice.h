// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/base/bytes.h"

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
  /// What is wrong, where the name or the first lines say a format in which it cannot be read; empty for nothing.
  std::string problem = {};
};

/// Decides by how the content begins: ELF by its magic number; Intel HEX and S-records when the first line that is
/// neither blank nor a comment is shaped like one of their records, behind a byte order mark too. Raw binary for
/// anything else, with `problem` set where that is hardly meant: a first line that is nearly a record or has one behind
/// it, ELF with a wrong fourth byte, a name that promises another format.
FormatChoice guessFormat(ByteSpan head, const std::string& name);

/// The same. Throws BadFile for an empty file, and for a problem.
FormatChoice formatOf(ByteSpan head, const std::string& name);

/// Nine of ten bytes are printable or end lines, and there are enough of them, and enough different ones, to tell.
bool isMostlyText(ByteSpan content);

}  // namespace imprimo
