// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <sys/stat.h>

#include <cstdio>
#include <filesystem>
#include <string_view>

#include "core/base/bytes.h"

namespace imprimo {

/// Writes a file beside its final place and moves it there when it is whole and on disk, so that no half file is ever
/// seen under its name. The new file has the old one's mode and owner, as far as the system lets it; a file without
/// permission to write is not replaced. Something that is not a regular file (a device, a pipe) is written directly.
class AtomicFile {
 public:
  /// Throws CannotWrite. `expected` is the size that will be written; a disk without that much room is refused at once.
  explicit AtomicFile(std::filesystem::path path, std::uint64_t expected = 0);
  AtomicFile(const AtomicFile&) = delete;
  AtomicFile& operator=(const AtomicFile&) = delete;
  /// Without commit() nothing stays behind.
  ~AtomicFile();

  /// Throws CannotWrite with the path and the system's reason.
  void write(ByteSpan bytes);
  void write(std::string_view text);
  /// Flushes to the disk (file and folder) and moves it into place. Throws CannotWrite.
  void commit();
  /// Moves it into place and leaves it to the system when it comes to the disk: for what can be made again at any time,
  /// where waiting for a disk would be most of the work.
  void commitSoon();

 private:
  void close(bool flush);
  [[noreturn]] void fail(int reason) const;
  void openDirectly();
  void requireWritable(unsigned mode) const;
  void takeOver(const struct stat& old);

  std::filesystem::path path_;
  std::filesystem::path temporary_;
  std::FILE* file_ = nullptr;
};

/// All of it in one call.
void writeFileAtomically(const std::filesystem::path& path, std::string_view text);
void writeFileAtomically(const std::filesystem::path& path, ByteSpan bytes);

/// Names in a folder are on disk when this returns, as far as the system tells.
void syncFolder(const std::filesystem::path& folder);
/// Makes a folder and those above it, each on disk with its name. Throws CannotWrite.
void makeFolders(const std::filesystem::path& folder);

}  // namespace imprimo
