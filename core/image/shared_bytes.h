// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <atomic>
#include <memory>
#include <utility>

#include "core/base/bytes.h"

namespace imprimo {

/// Bytes that copies have in common until one of them changes them. Each copy may be used by one thread at a time;
/// different copies by different threads.
class SharedBytes {
 public:
  explicit SharedBytes(Bytes&& bytes) : bytes_(std::make_shared<Bytes>(std::move(bytes))) {}
  explicit SharedBytes(ByteSpan bytes) : SharedBytes(Bytes(bytes.begin(), bytes.end())) {}

  const Bytes& get() const { return *bytes_; }
  std::size_t size() const { return bytes_->size(); }

  /// The bytes, to be changed: from here on they are this copy's alone. What is not alone gets at least `room`.
  Bytes& own(std::size_t room = 0) {
    if (isAlone()) return *bytes_;
    auto mine = std::make_shared<Bytes>();
    mine->reserve(std::max(room, bytes_->size()));
    mine->assign(bytes_->begin(), bytes_->end());
    bytes_ = std::move(mine);
    return *bytes_;
  }
  /// Keeps the first `count`, which is at most size().
  void keepFirst(std::size_t count) {
    if (isAlone()) {
      bytes_->resize(count);
    } else {
      bytes_ = std::make_shared<Bytes>(bytes_->begin(), bytes_->begin() + static_cast<std::ptrdiff_t>(count));
    }
  }

  friend bool operator==(const SharedBytes& a, const SharedBytes& b) {
    return a.bytes_ == b.bytes_ || *a.bytes_ == *b.bytes_;
  }

 private:
  /// Whoever shared them may have let go just now, in another thread: what it read is read before they change.
  bool isAlone() const {
    if (bytes_.use_count() != 1) return false;
    std::atomic_thread_fence(std::memory_order_acquire);
    return true;
  }

  std::shared_ptr<Bytes> bytes_;  ///< never null, but in what was moved from
};

}  // namespace imprimo
