// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/image/memory_image.h"

namespace imprimo::run {

/// What a copy is of.
struct CopyOf {
  std::string memory;  ///< its name in the sheet
  std::string sheet;   ///< the sheet's title
  std::string part;    ///< what it answered to 0x9F: "0x7e4017"
  unsigned bank = 1;
  std::uint64_t size = 0;  ///< of the part
};

/// Where copies go of what a run will destroy.
class BackupStore {
 public:
  virtual ~BackupStore() = default;
  /// Returns when the copy is on disk; the path names it. Throws CannotWrite: then nothing may be destroyed.
  virtual std::filesystem::path save(const CopyOf& of, const MemoryImage& contents) = 0;
};

}  // namespace imprimo::run
