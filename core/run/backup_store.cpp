// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/backup_store.h"

#include "core/base/atomic_file.h"
#include "core/image/intel_hex.h"
#include "core/run/folders.h"

namespace imprimo::run {

std::filesystem::path FileBackupStore::save(const std::string& memory, const MemoryImage& contents) {
  const std::filesystem::path path = freshPath(folder_, memory, ".hex");
  writeFileAtomically(path, writeIntelHex(contents));
  return path;
}

}  // namespace imprimo::run
