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
  std::string uniqueId{};  ///< hexadecimal digits; empty where the part has none that is known
  /// It was made while an earlier run's work on this memory was unfinished: no state that anybody wants back.
  bool unfinished = false;
};

/// Where copies go of what a run will destroy.
class BackupStore {
 public:
  virtual ~BackupStore() = default;
  /// Returns when the copy is on disk; the path names it. Throws CannotWrite: then nothing may be destroyed.
  virtual std::filesystem::path save(const CopyOf& of, const MemoryImage& contents) = 0;
  /// What a copy holds; `name` is the file name that save() gave. Throws BadFile.
  virtual MemoryImage contents(const std::string& name) const = 0;
};

}  // namespace imprimo::run
