// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <stop_token>
#include <string>

#include "core/base/bytes.h"
#include "core/base/error.h"

namespace imprimo {

/// What a file is read as, and how large one of its kind can sensibly be.
struct FileKind {
  const char* what;     ///< "a job sheet"
  std::uint64_t most;   ///< bytes; UINT64_MAX for kinds that are never held whole
  bool onWish = false;  ///< one that is larger is read where it is meant (ReadRules::large)
};
inline constexpr std::uint64_t kMiB = 1024 * 1024;
inline constexpr FileKind kAnyFile{"a file", 1024 * kMiB};
inline constexpr FileKind kSheetFile{"a job sheet", 16 * kMiB};
inline constexpr FileKind kCardFile{"a card", 16 * kMiB};
inline constexpr FileKind kBsdlFile{"a BSDL file", 64 * kMiB};
inline constexpr FileKind kImageFile{"an image", 1024 * kMiB, true};
inline constexpr FileKind kVectorFile{"a file of vectors", UINT64_MAX};
/// A description of a bench, a list of copies, an index.
inline constexpr FileKind kListFile{"a list", 64 * kMiB};
inline constexpr FileKind kTokenFile{"a token file", 64 * 1024};

/// How one reading is done.
struct ReadRules {
  bool large = false;                                  ///< a file over its kind's limit is meant
  std::stop_token stop{};                              ///< ends reading with Error(Stopped)
  std::function<void(std::uint64_t more)> progress{};  ///< so many bytes more were read
};

/// A file that cannot be opened or read, or is no file: a folder, a pipe, a device.
class UnreadableFile : public Error {
 public:
  UnreadableFile(const std::string& sentence, const std::string& remedy, bool largeWouldHelp = false)
      : Error(ErrorKind::BadFile, sentence, remedy) {
    if (largeWouldHelp) setHelp(Help::ReadLarge);  // ReadRules::large would read it
  }
  /// The same, told by who refers to the file: "gauge.imprimo:12: chain[1].bsdl".
  UnreadableFile referredFrom(const std::string& where) const;
};

/// Who names a file, for messages: "gauge.imprimo:31: placements[2].file". Two that differ only in this are equal.
struct ReferredFrom {
  std::string where;  ///< empty: the user, just now
  friend bool operator==(const ReferredFrom&, const ReferredFrom&) { return true; }
};

/// What `read` gives; where it cannot read its file, the error begins with who refers to it.
template <typename Read>
auto readReferred(const ReferredFrom& from, Read&& read) {
  try {
    return read();
  } catch (const UnreadableFile& e) {
    if (from.where.empty()) throw;
    throw e.referredFrom(from.where);
  }
}

/// A file that is read from its beginning to its end. Only regular files are, and a pipe that this process was started
/// with (/dev/stdin, /dev/fd/N), since that one has somebody at its other end.
class InputFile {
 public:
  /// Never waits for somebody to open the other end. Throws UnreadableFile with the path and the system's reason, or
  /// with its size and its kind's limit.
  explicit InputFile(std::filesystem::path path, const FileKind& kind = kAnyFile, ReadRules rules = {});
  InputFile(const InputFile&) = delete;
  InputFile& operator=(const InputFile&) = delete;
  ~InputFile();
  /// The next bytes, as many as there is room for; fewer only at the end. Throws UnreadableFile, also when more comes
  /// than its kind may have, and Stopped.
  std::size_t read(std::span<std::uint8_t> into);
  /// Appends all that is left.
  void readRest(Bytes& into);
  /// 0 for what has none, like a pipe.
  std::uint64_t size() const { return size_; }

 private:
  [[noreturn]] void fail(int reason) const;
  [[noreturn]] void failTooLarge(const std::string& size) const;
  void awaitPipe() const;
  bool isInherited() const;

  std::filesystem::path path_;
  FileKind kind_;
  ReadRules rules_;
  int number_ = -1;
  std::uint64_t size_ = 0, taken_ = 0;
  bool pipe_ = false;
};

/// The whole file. Throws as InputFile does.
Bytes readFile(const std::filesystem::path& path, const FileKind& kind = kAnyFile, const ReadRules& rules = {});
std::string readTextFile(const std::filesystem::path& path, const FileKind& kind = kAnyFile,
                         const ReadRules& rules = {});

}  // namespace imprimo
