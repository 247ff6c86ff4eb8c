// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/input_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <system_error>

#include "core/base/number.h"

namespace imprimo {
namespace {

template <typename Container>
void readRest(InputFile& file, Container& data) {
  constexpr std::size_t kPiece = 1 << 16;
  data.reserve(file.size() + kPiece);  // taken once, so that a large file is never there twice
  for (;;) {
    const std::size_t before = data.size();
    data.resize(before + kPiece);
    const std::size_t got = file.read({reinterpret_cast<std::uint8_t*>(data.data()) + before, kPiece});
    data.resize(before + got);
    if (got < kPiece) return;
  }
}

template <typename Container>
Container readAll(const std::filesystem::path& path, const FileKind& kind, const ReadRules& rules) {
  InputFile file(path, kind, rules);
  Container data;
  readRest(file, data);
  return data;
}

const char* kindOf(mode_t mode) {
  return S_ISFIFO(mode)   ? "a pipe"
         : S_ISSOCK(mode) ? "a socket"
         : S_ISCHR(mode)  ? "a device"
         : S_ISBLK(mode)  ? "a block device"
                          : "not a file";
}

}  // namespace

UnreadableFile UnreadableFile::referredFrom(const std::string& where) const {
  return {where + ": " + what(), remedy(), help() == Help::ReadLarge};
}

InputFile::InputFile(std::filesystem::path path, const FileKind& kind, ReadRules rules)
    : path_(std::move(path)), kind_(kind), rules_(std::move(rules)) {
  // Without O_NONBLOCK opening a pipe waits for its writer, and reading some of /proc for news.
  number_ = ::open(path_.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC | O_NOCTTY);
  if (number_ < 0) fail(errno);
  try {
    struct stat status {};
    if (::fstat(number_, &status) != 0) fail(errno);
    if (S_ISDIR(status.st_mode)) fail(EISDIR);
    pipe_ = S_ISFIFO(status.st_mode) && isInherited();
    if (!S_ISREG(status.st_mode) && !pipe_) {
      throw UnreadableFile(fmt::format("cannot read {}: it is {}, not a file", path_.string(), kindOf(status.st_mode)),
                           "");
    }
    size_ = pipe_ ? 0 : static_cast<std::uint64_t>(status.st_size);
    if (rules_.large && kind_.onWish) kind_.most = UINT64_MAX;
    if (size_ > kind_.most) failTooLarge(sizeText(size_));
  } catch (...) {
    ::close(number_);
    throw;
  }
}

InputFile::~InputFile() {
  ::close(number_);
}

bool InputFile::isInherited() const {
  const std::string name = path_.string();
  return name == "/dev/stdin" || name.starts_with("/dev/fd/") || name.starts_with("/proc/self/fd/");
}

void InputFile::fail(int reason) const {
  if (number_ >= 0 && reason == EAGAIN) {
    throw UnreadableFile(fmt::format("cannot read {}: it has no contents to read now", path_.string()), "");
  }
  throw UnreadableFile(fmt::format("cannot read {}: {}", path_.string(), std::generic_category().message(reason)),
                       reason == ENOENT ? "Check the path; paths in a job sheet start at the sheet's folder." : "");
}

void InputFile::failTooLarge(const std::string& size) const {
  throw UnreadableFile(fmt::format("cannot read {} as {}: it has {}, at most {} are read", path_.string(), kind_.what,
                                   size, sizeText(kind_.most)),
                       "Is it the right file?", kind_.onWish);
}

void InputFile::awaitPipe() const {
  for (;;) {
    if (rules_.stop.stop_requested()) return;
    pollfd entry{number_, POLLIN, 0};
    if (::poll(&entry, 1, 100) != 0) return;
  }
}

std::size_t InputFile::read(std::span<std::uint8_t> into) {
  std::size_t got = 0;
  while (got < into.size()) {
    if (pipe_) awaitPipe();
    if (rules_.stop.stop_requested())
      throw Error(ErrorKind::Stopped, "stopped while reading " + path_.string(), "Nothing was touched.");
    const ssize_t n = ::read(number_, into.data() + got, std::min<std::size_t>(into.size() - got, 1 << 22));
    if (n == 0) break;
    if (n < 0) {
      if (errno == EINTR || (errno == EAGAIN && pipe_)) continue;
      fail(errno);
    }
    got += static_cast<std::size_t>(n);
    taken_ += static_cast<std::uint64_t>(n);
    if (rules_.progress) rules_.progress(static_cast<std::uint64_t>(n));
    // It may grow while it is read, and files of the system do not tell their size.
    if (taken_ > kind_.most) failTooLarge("more than that");
  }
  return got;
}

void InputFile::readRest(Bytes& into) {
  imprimo::readRest(*this, into);
}

Bytes readFile(const std::filesystem::path& path, const FileKind& kind, const ReadRules& rules) {
  return readAll<Bytes>(path, kind, rules);
}
std::string readTextFile(const std::filesystem::path& path, const FileKind& kind, const ReadRules& rules) {
  return readAll<std::string>(path, kind, rules);
}

}  // namespace imprimo
