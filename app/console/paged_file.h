// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryFile>
#include <array>
#include <type_traits>
#include <vector>

namespace imprimo::app {

/// A list that only grows, in a file: some thousand records of it are in memory, however long it is.
template <typename Record>
class PagedFile {
  static_assert(std::is_trivially_copyable_v<Record>);

 public:
  PagedFile() { file_.open(); }

  std::size_t size() const { return full_ * kPage + last_.size(); }
  bool empty() const { return size() == 0; }
  void push_back(const Record& record) {
    last_.push_back(record);
    if (last_.size() < kPage) return;
    file_.seek(static_cast<qint64>(full_ * kPage * sizeof(Record)));
    file_.write(reinterpret_cast<const char*>(last_.data()), static_cast<qint64>(kPage * sizeof(Record)));
    ++full_;
    last_.clear();
  }
  Record operator[](std::size_t index) const {
    const std::size_t page = index / kPage;
    return page == full_ ? last_[index % kPage] : kept(page).records[index % kPage];
  }
  void clear() {
    full_ = 0;
    last_.clear();
    for (Kept& each : kept_) each.page = kNone;
    file_.resize(0);
  }

 private:
  static constexpr std::size_t kPage = 1024, kNone = ~std::size_t{0};
  struct Kept {
    std::size_t page = kNone;
    std::vector<Record> records;
  };
  /// Pages that were looked at last.
  const Kept& kept(std::size_t page) const {
    for (const Kept& each : kept_) {
      if (each.page == page) return each;
    }
    Kept& oldest = kept_[next_++ % kept_.size()];
    oldest.page = page;
    oldest.records.resize(kPage);
    file_.seek(static_cast<qint64>(page * kPage * sizeof(Record)));
    file_.read(reinterpret_cast<char*>(oldest.records.data()), static_cast<qint64>(kPage * sizeof(Record)));
    return oldest;
  }

  mutable QTemporaryFile file_;
  std::size_t full_ = 0;  // pages in the file
  std::vector<Record> last_;
  mutable std::array<Kept, 4> kept_;
  mutable std::size_t next_ = 0;
};

}  // namespace imprimo::app
