// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/range_set.h"
#include "core/image/memory_image.h"
#include "core/memory/copy_of.h"

namespace imprimo::run {

/// A copy in the store.
struct StoredCopy {
  std::filesystem::path path;  ///< of its list of pieces
  std::string made;            ///< UTC, ISO 8601
  memory::CopyOf of;
  std::vector<AddressRange> ranges;
  std::uint64_t bytes() const { return RangeSet(ranges).size(); }
};

/// Where copies go of what a run will destroy.
class BackupStore {
 public:
  virtual ~BackupStore() = default;
  /// Returns when the copy is on disk; the path names it. Throws CannotWrite: then nothing may be destroyed.
  virtual std::filesystem::path save(const memory::CopyOf& of, const MemoryImage& contents) = 0;
  /// What a copy holds; `name` is the file name that save() gave. Throws BadFile.
  virtual MemoryImage contents(const std::string& name) const = 0;
};

}  // namespace imprimo::run
