// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/atomic_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <system_error>
#include <utility>

#include "core/base/error.h"

namespace imprimo {
namespace fs = std::filesystem;

AtomicFile::AtomicFile(fs::path path, std::uint64_t expected) : path_(std::move(path)) {
  std::error_code ignored;
  const fs::file_status status = fs::status(path_, ignored);
  if (fs::is_directory(status)) fail(EISDIR);
  if (fs::exists(status) && !fs::is_regular_file(status)) {
    openDirectly();
    return;
  }
  // A link keeps being a link: what it points to is replaced.
  if (const fs::path target = fs::canonical(path_, ignored); !ignored) path_ = target;
  const fs::path folder = path_.has_parent_path() ? path_.parent_path() : fs::path(".");
  struct statvfs space {};
  if (::statvfs(folder.c_str(), &space) == 0 &&
      static_cast<std::uint64_t>(space.f_bavail) * space.f_frsize < expected) {
    fail(ENOSPC);
  }
  struct stat old {};
  const bool replaces = ::stat(path_.c_str(), &old) == 0;
  if (replaces) requireWritable(old.st_mode);
  static std::atomic<unsigned> number{0};  // two threads may write one file
  constexpr std::size_t kRoom = 200;       // of the 255 bytes that a name may have
  temporary_ = folder / fmt::format(".{}.{}-{}.part", path_.filename().string().substr(0, kRoom), ::getpid(), ++number);
  file_ = std::fopen(temporary_.c_str(), "wb");
  if (file_ == nullptr) {
    const int reason = errno;
    temporary_.clear();
    fail(reason);
  }
  if (replaces) takeOver(old);
}

/// A pipe that nobody reads is an error, not something to wait for.
void AtomicFile::openDirectly() {
  const int number = ::open(path_.c_str(), O_WRONLY | O_NONBLOCK | O_CLOEXEC | O_NOCTTY);
  if (number < 0) fail(errno);
  const int flags = ::fcntl(number, F_GETFL);
  if (flags >= 0) ::fcntl(number, F_SETFL, flags & ~O_NONBLOCK);
  file_ = ::fdopen(number, "wb");
  if (file_ != nullptr) return;
  const int reason = errno;
  ::close(number);
  fail(reason);
}

void AtomicFile::requireWritable(unsigned mode) const {
  // Replacing a file needs only its folder; whoever made it read-only did not mean that. Not even for the
  // administrator, whom the system would let through.
  if ((mode & 0222) == 0 || ::access(path_.c_str(), W_OK) != 0) fail(EACCES);
}

void AtomicFile::takeOver(const struct stat& old) {
  const int number = ::fileno(file_);
  struct stat fresh {};
  const bool known = ::fstat(number, &fresh) == 0;
  // Where the owner cannot be kept, nobody gets more than he had: the group's bits are of another group then.
  const bool owned = known && ((fresh.st_uid == old.st_uid && fresh.st_gid == old.st_gid) ||
                               ::fchown(number, old.st_uid, old.st_gid) == 0);
  [[maybe_unused]] const int ignored = ::fchmod(number, old.st_mode & (owned ? 07777u : 0707u));
}

AtomicFile::~AtomicFile() {
  if (file_ != nullptr) std::fclose(file_);
  if (!temporary_.empty()) ::unlink(temporary_.c_str());
}

void AtomicFile::fail(int reason) const {
  throw Error(ErrorKind::CannotWrite,
              fmt::format("cannot write {}: {}", path_.string(), std::generic_category().message(reason)),
              reason == ENOSPC ? "Free some space or choose another disk; no half file was left." : "");
}

void AtomicFile::write(ByteSpan bytes) {
  if (std::fwrite(bytes.data(), 1, bytes.size(), file_) != bytes.size()) fail(errno);
}

void AtomicFile::write(std::string_view text) {
  write(ByteSpan(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()));
}

void AtomicFile::commit() {
  close(true);
}

void AtomicFile::commitSoon() {
  close(false);
}

void AtomicFile::close(bool flush) {
  if (std::fflush(file_) != 0) fail(errno);
  // Devices and pipes cannot be synced, and need not be.
  if (flush && ::fsync(::fileno(file_)) != 0 && !temporary_.empty()) fail(errno);
  std::FILE* file = std::exchange(file_, nullptr);
  if (std::fclose(file) != 0) fail(errno);
  if (temporary_.empty()) return;
  if (std::rename(temporary_.c_str(), path_.c_str()) != 0) fail(errno);
  const fs::path folder = temporary_.parent_path();
  temporary_.clear();
  if (flush) syncFolder(folder);
}

void syncFolder(const fs::path& folder) {
  if (const int handle = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); handle >= 0) {
    ::fsync(handle);
    ::close(handle);
  }
}

void makeFolders(const fs::path& folder) {
  std::error_code failure;
  if (folder.empty() || fs::is_directory(folder, failure)) return;
  const fs::path above = folder.has_parent_path() ? folder.parent_path() : fs::path();
  if (above != folder) makeFolders(above);
  fs::create_directory(folder, failure);
  if (failure) {
    throw Error(ErrorKind::CannotWrite,
                fmt::format("cannot make the folder {}: {}", folder.string(), failure.message()));
  }
  syncFolder(above.empty() ? fs::path(".") : above);
}

void writeFileAtomically(const fs::path& path, std::string_view text) {
  AtomicFile file(path, text.size());
  file.write(text);
  file.commit();
}

void writeFileAtomically(const fs::path& path, ByteSpan bytes) {
  AtomicFile file(path, bytes.size());
  file.write(bytes);
  file.commit();
}

}  // namespace imprimo
