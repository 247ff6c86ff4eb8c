// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text_file.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstdio>
#include <memory>
#include <system_error>

#include "core/base/error.h"

namespace imprimo {
namespace {

[[noreturn]] void fail(const std::filesystem::path& path, int reason) {
  throw Error(ErrorKind::BadFile,
              fmt::format("cannot read {}: {}", path.string(), std::generic_category().message(reason)),
              reason == ENOENT ? "Check the path; paths in a job sheet start at the sheet's folder." : "");
}

template <typename Container>
Container readAll(const std::filesystem::path& path) {
  std::error_code ignored;
  if (std::filesystem::is_directory(path, ignored)) fail(path, EISDIR);
  const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "rb"), std::fclose);
  if (!file) fail(path, errno);
  Container data;
  constexpr std::size_t kPiece = 1 << 16;
  for (;;) {
    const std::size_t before = data.size();
    data.resize(before + kPiece);
    const std::size_t got = std::fread(data.data() + before, 1, kPiece, file.get());
    data.resize(before + got);
    if (got == kPiece) continue;
    if (std::ferror(file.get())) fail(path, errno);
    return data;
  }
}

}  // namespace

Bytes readFile(const std::filesystem::path& path) {
  return readAll<Bytes>(path);
}
std::string readTextFile(const std::filesystem::path& path) {
  return readAll<std::string>(path);
}

}  // namespace imprimo
