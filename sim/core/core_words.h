// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

#include "core/base/bytes.h"

namespace imprimo::sim {

/// The configuration words of a chip (docs/formats/bench.md): a small flash of their own beside the program's. Each is
/// kept with its complement; one that does not fit it counts as the chip was made. They count from the next reset on.
class CoreWords {
 public:
  static constexpr std::uint32_t kSize = 0x100, kStart = 0x0, kAccess = 0x8;

  explicit CoreWords(std::uint32_t at) : at_(at), bytes_(kSize, kBlankByte) {}
  bool holds(std::uint32_t address) const { return address >= at_ && address - at_ < kSize; }
  std::uint32_t at() const { return at_; }
  Bytes& bytes() { return bytes_; }
  void reset() {
    start_ = whole(kStart);
    access_ = whole(kAccess);
  }
  /// As they count since the last reset.
  std::uint32_t start() const { return start_; }
  std::uint32_t access() const { return access_; }
  bool watchdogRuns() const { return (start_ & 1) == 0; }
  bool closes() const { return (access_ & 0xFF) == 0x5A || closesForEver(); }
  bool closesForEver() const { return (access_ & 0xFF) == 0xC3; }

 private:
  std::uint32_t whole(std::uint32_t offset) const {
    const std::uint32_t word = loadLe32(bytes_.data() + offset);
    return word == ~loadLe32(bytes_.data() + offset + 4) ? word : 0xFFFFFFFF;
  }

  std::uint32_t at_;
  Bytes bytes_;
  std::uint32_t start_ = 0xFFFFFFFF, access_ = 0xFFFFFFFF;
};

}  // namespace imprimo::sim
