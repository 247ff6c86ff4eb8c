// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/image/memory_image.h"

namespace imprimo {

/// What an ELF file puts into memory.
struct ElfFile {
  MemoryImage image;        ///< loadable segments at their physical addresses; nothing for what is only zeroed at start
  std::uint64_t entry = 0;  ///< a virtual address
  std::uint16_t machine = 0;
  bool bigEndian = false;
  bool wide = false;  ///< ELF64
  std::string machineName() const;
};

/// Reads ELF32 and ELF64 of either byte order by its program headers (PT_LOAD). Throws BadFile for a file that is cut
/// short, for headers that point outside it, for segments that put different bytes at one address, and for a file
/// without anything to load.
ElfFile readElf(ByteSpan content, const std::string& name);

bool looksLikeElf(ByteSpan content);

}  // namespace imprimo
