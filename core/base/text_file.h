// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdio>
#include <filesystem>
#include <memory>
#include <span>
#include <string>

#include "core/base/bytes.h"

namespace imprimo {

/// A file that is read from its beginning to its end.
class InputFile {
 public:
  /// Throws BadFile with the path and the system's reason; a folder is no file.
  explicit InputFile(const std::filesystem::path& path);
  /// The next bytes, as many as there is room for; fewer only at the end. Throws BadFile.
  std::size_t read(std::span<std::uint8_t> into);
  /// 0 for what has none, like a pipe.
  std::uint64_t size() const;

 private:
  std::filesystem::path path_;
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file_;
};

/// The whole file. Throws BadFile with the path and the system's reason.
Bytes readFile(const std::filesystem::path& path);
std::string readTextFile(const std::filesystem::path& path);

}  // namespace imprimo
