// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace imprimo::sim {

/// What a client did that a data sheet or a contract forbids.
class Violations {
 public:
  void add(std::string what) {
    ++count_;
    if (first_.size() < kKept) first_.push_back(std::move(what));
  }
  std::uint64_t count() const { return count_; }
  /// The first hundred.
  const std::vector<std::string>& first() const { return first_; }
  /// One a line; empty when there are none.
  std::string text() const {
    std::string all;
    for (const std::string& line : first_) all += line + "\n";
    return all;
  }

 private:
  static constexpr std::size_t kKept = 100;
  std::uint64_t count_ = 0;
  std::vector<std::string> first_;
};

}  // namespace imprimo::sim
