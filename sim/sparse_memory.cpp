// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/sparse_memory.h"

#include <algorithm>

namespace imprimo::sim {

SparseMemory::SparseMemory(std::uint64_t size) : size_(size), chunks_((size + kChunk - 1) / kChunk) {}

void SparseMemory::set(std::uint64_t address, std::uint8_t value) {
  auto& chunk = chunks_[address / kChunk];
  if (!chunk) {
    if (value == kBlankByte) return;
    chunk = std::make_unique<Bytes>(kChunk, kBlankByte);
  }
  (*chunk)[address % kChunk] = value;
}

void SparseMemory::fill(std::uint64_t begin, std::uint64_t end, std::uint8_t value) {
  while (begin < end) {
    const std::uint64_t stop = std::min(end, (begin / kChunk + 1) * kChunk);
    auto& chunk = chunks_[begin / kChunk];
    if (value == kBlankByte && stop - begin == kChunk) {
      chunk.reset();
    } else if (chunk || value != kBlankByte) {
      if (!chunk) chunk = std::make_unique<Bytes>(kChunk, kBlankByte);
      std::fill_n(chunk->begin() + static_cast<std::ptrdiff_t>(begin % kChunk), stop - begin, value);
    }
    begin = stop;
  }
}

}  // namespace imprimo::sim
