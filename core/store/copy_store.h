// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/run/backup_store.h"

namespace imprimo::store {

/// The list of a copy as text. Throws BadFile with the key's path and line.
run::StoredCopy parseCopyList(std::string_view text, const std::string& fileName);

/// How much is kept; what goes first was made first.
struct CopyLimits {
  std::uint64_t bytes = 2ull << 30;  ///< on disk
  unsigned days = 365;
};

/// Copies in a folder (docs/formats/copies.md): a list for each, and its pieces, compressed and named by what they
/// hold, so that what is the same in two copies is there once. The folder is made when needed. One program at a time
/// may save; readers need not wait.
class CopyStore : public run::BackupStore {
 public:
  explicit CopyStore(std::filesystem::path folder) : folder_(std::move(folder)) {}

  std::filesystem::path save(const memory::CopyOf& of, const MemoryImage& contents) override;

  /// Newest first. Lists that cannot be read are left out, and named in `unreadable` where that is given.
  std::vector<run::StoredCopy> list(std::vector<std::string>* unreadable = nullptr) const;
  /// Throws BadFile for a list or piece that is missing or not what it says it holds.
  run::StoredCopy find(const std::filesystem::path& path) const;
  MemoryImage contents(const run::StoredCopy& copy) const;
  MemoryImage contents(const std::string& name) const override { return contents(find(name)); }

  /// The limits that the folder keeps. Throws BadFile.
  CopyLimits limits() const;
  void setLimits(const CopyLimits& limits);
  /// Removes copies past the limits, but never the newest, and pieces that none has any more. Returns how many copies
  /// went.
  std::size_t prune();
  std::uint64_t bytesOnDisk() const;

 private:
  std::filesystem::path pieces() const { return folder_ / "pieces"; }
  std::filesystem::path pieceFile(const std::string& digest) const;
  void removeUnusedPieces();

  std::filesystem::path folder_;
};

/// The store in the user's data folder.
CopyStore userCopies();

}  // namespace imprimo::store
