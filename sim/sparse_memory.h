// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::sim {

/// Flash cells; what was never touched is blank and takes no room.
class SparseMemory {
 public:
  explicit SparseMemory(std::uint64_t size);
  std::uint64_t size() const { return size_; }
  std::uint8_t get(std::uint64_t address) const {
    const auto& chunk = chunks_[address / kChunk];
    return chunk ? (*chunk)[address % kChunk] : kBlankByte;
  }
  void set(std::uint64_t address, std::uint8_t value);
  void fill(std::uint64_t begin, std::uint64_t end, std::uint8_t value);

 private:
  static constexpr std::uint64_t kChunk = 65536;
  std::uint64_t size_;
  std::vector<std::unique_ptr<Bytes>> chunks_;
};

}  // namespace imprimo::sim
