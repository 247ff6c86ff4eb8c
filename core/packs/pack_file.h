// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <map>
#include <memory>
#include <string>

#include "core/base/bytes.h"

namespace imprimo::packs {

/// A CMSIS-Pack as it comes: a zip with one description (.pdsc) at its top and what that names. Nothing is ever
/// unpacked into a folder. May be read by several threads.
class PackFile {
 public:
  /// Throws BadFile for what is no zip, has no description or several, or has names that lead out of it.
  explicit PackFile(const std::filesystem::path& path);
  ~PackFile();
  PackFile(const PackFile&) = delete;
  PackFile& operator=(const PackFile&) = delete;

  const std::filesystem::path& path() const { return path_; }
  /// The description's text. Throws BadFile.
  Bytes description() const;
  /// A file by the name that the description has for it: backslashes are slashes in both, case is ignored. Throws
  /// BadFile where there is none, it leads out of the pack, or holds more than `most` bytes.
  Bytes read(const std::string& name, std::uint64_t most) const;

 private:
  struct Zip;
  Bytes entry(std::uint64_t index, const std::string& name, std::uint64_t most) const;
  [[noreturn]] void fail(const std::string& sentence, const std::string& remedy) const;

  std::filesystem::path path_;
  std::unique_ptr<Zip> zip_;
  std::map<std::string, std::uint64_t> numbers_;  // of the files in the zip, by their names as they are compared
  std::uint64_t description_ = 0;
};

}  // namespace imprimo::packs
