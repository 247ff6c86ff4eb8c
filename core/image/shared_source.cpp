// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/shared_source.h"

#include <sys/stat.h>

#include <chrono>
#include <condition_variable>
#include <map>
#include <mutex>
#include <optional>
#include <tuple>

#include "core/base/error.h"

namespace imprimo {
namespace {

/// What is smaller is read sooner than it is looked up.
constexpr off_t kLarge = 1 << 20;

/// Which file, as which format.
struct Key {
  dev_t device;
  ino_t file;
  std::optional<ImageFormat> format;
  bool operator==(const Key&) const = default;
  bool operator<(const Key& other) const {
    return std::tie(device, file, format) < std::tie(other.device, other.file, other.format);
  }
};

/// Changes whenever the file does; but for two changes within one tick of the file system's clock.
struct Stamp {
  off_t bytes;
  std::int64_t changed;  ///< ns since 1970, of its contents or of anything else of it
  bool operator==(const Stamp&) const = default;
};

std::int64_t nanoseconds(const timespec& time) {
  return std::int64_t{time.tv_sec} * 1'000'000'000 + time.tv_nsec;
}

struct Found {
  Key key;
  Stamp stamp;
};

std::optional<Found> lookUp(const std::filesystem::path& path, const Placement& placement) {
  struct stat status {};
  if (stat(path.c_str(), &status) != 0 || !S_ISREG(status.st_mode) || status.st_size < kLarge) return std::nullopt;
  return Found{{status.st_dev, status.st_ino, placement.format},
               {status.st_size, std::max(nanoseconds(status.st_mtim), nanoseconds(status.st_ctim))}};
}

/// A file that was changed just now may be changed again with the same time.
bool isSettled(const Stamp& stamp) {
  const auto now = std::chrono::system_clock::now().time_since_epoch();
  return now - std::chrono::nanoseconds(stamp.changed) > std::chrono::seconds(2);
}

class Sources {
 public:
  /// What stillSame() denies after reading is handed out, and shared with nobody.
  template <typename Read, typename Same>
  std::shared_ptr<const SourceFile> get(const Found& found, const std::stop_token& stop, Read&& read,
                                        Same&& stillSame) {
    std::unique_lock lock(mutex_);
    const bool came =
        changed_.wait(lock, stop, [&] { return !known_.contains(found.key) || !known_[found.key].isRead; });
    if (!came) throw Error(ErrorKind::Stopped, "stopped while a file was read", "Nothing was touched.");
    Entry& entry = known_[found.key];
    if (auto there = entry.source.lock(); there && entry.stamp == found.stamp) return there;
    entry.isRead = true;
    lock.unlock();
    std::shared_ptr<const SourceFile> source;
    try {
      source = read();
    } catch (...) {
      finish(found.key, {});
      throw;
    }
    finish(found.key, stillSame() ? source : nullptr, found.stamp);
    return source;
  }

 private:
  struct Entry {
    std::weak_ptr<const SourceFile> source;
    Stamp stamp{};
    bool isRead = false;  ///< just now
  };

  void finish(const Key& key, const std::shared_ptr<const SourceFile>& source, const Stamp& stamp = {}) {
    const std::lock_guard lock(mutex_);
    known_[key] = {source, stamp, false};
    std::erase_if(known_, [](const auto& each) { return !each.second.isRead && each.second.source.expired(); });
    changed_.notify_all();
  }

  std::mutex mutex_;
  std::condition_variable_any changed_;
  std::map<Key, Entry> known_;
};

}  // namespace

std::shared_ptr<const SourceFile> sharedSource(const Placement& placement, const std::filesystem::path& folder,
                                               const ReadRules& reading) {
  const auto read = [&] { return std::make_shared<const SourceFile>(readSource(placement, folder, reading)); };
  if (placement.pattern || !placement.wrapper.empty()) return read();
  const auto found = lookUp(folder / placement.file, placement);
  if (!found || !isSettled(found->stamp)) return read();
  static Sources sources;
  return sources.get(*found, reading.stop, read, [&] {
    const auto after = lookUp(folder / placement.file, placement);
    return after && after->key == found->key && after->stamp == found->stamp;
  });
}

}  // namespace imprimo
