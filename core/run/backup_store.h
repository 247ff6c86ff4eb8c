// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/image/memory_image.h"

namespace imprimo::run {

/// Where copies go of what a run will destroy.
class BackupStore {
 public:
  virtual ~BackupStore() = default;
  /// Returns when the copy is on disk; the path says where. Throws CannotWrite: then nothing may be destroyed.
  virtual std::filesystem::path save(const std::string& memory, const MemoryImage& contents) = 0;
};

/// One Intel HEX file for each copy in a folder, which is made when needed: it can be placed again as it is.
class FileBackupStore : public BackupStore {
 public:
  explicit FileBackupStore(std::filesystem::path folder) : folder_(std::move(folder)) {}
  std::filesystem::path save(const std::string& memory, const MemoryImage& contents) override;

 private:
  std::filesystem::path folder_;
};

}  // namespace imprimo::run
