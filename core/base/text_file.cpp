// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text_file.h"

#include <fmt/format.h>

#include <cerrno>
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
  InputFile file(path);
  Container data;
  constexpr std::size_t kPiece = 1 << 16;
  data.reserve(file.size() + kPiece);  // taken once, so that a large file is never there twice
  for (;;) {
    const std::size_t before = data.size();
    data.resize(before + kPiece);
    const std::size_t got = file.read({reinterpret_cast<std::uint8_t*>(data.data()) + before, kPiece});
    data.resize(before + got);
    if (got < kPiece) return data;
  }
}

}  // namespace

InputFile::InputFile(const std::filesystem::path& path) : path_(path), file_(nullptr, std::fclose) {
  std::error_code ignored;
  if (std::filesystem::is_directory(path, ignored)) fail(path, EISDIR);
  file_.reset(std::fopen(path.c_str(), "rb"));
  if (!file_) fail(path, errno);
}

std::size_t InputFile::read(std::span<std::uint8_t> into) {
  const std::size_t got = std::fread(into.data(), 1, into.size(), file_.get());
  if (got < into.size() && std::ferror(file_.get()) != 0) fail(path_, errno);
  return got;
}

std::uint64_t InputFile::size() const {
  std::error_code none;
  const auto size = std::filesystem::file_size(path_, none);
  return none ? 0 : size;
}

Bytes readFile(const std::filesystem::path& path) {
  return readAll<Bytes>(path);
}
std::string readTextFile(const std::filesystem::path& path) {
  return readAll<std::string>(path);
}

}  // namespace imprimo
