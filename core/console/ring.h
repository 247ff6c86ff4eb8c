// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/bytes.h"
#include "core/console/target_memory.h"

namespace imprimo::console {

/// A console ring in a target's RAM (docs/formats/console-ring.md), as it says of itself; believed only if its mark is
/// right, its bytes lie in RAM and its counters agree.
struct RingHeader {
  static constexpr std::size_t kSize = 64;
  struct Direction {
    std::uint32_t at = 0, size = 0;
    std::uint32_t written = 0, taken = 0;  ///< free-running
    std::uint32_t waiting() const { return written - taken; }
  };
  Direction out, in;  ///< `in.size` is 0 where the target takes no input
  std::uint32_t lost = 0;
  /// False where the counters do not agree; the rest holds.
  bool agrees = true;
};

/// Nothing where that is no ring of version 1, or one whose bytes are not all in one of `ram`.
std::optional<RingHeader> parseRing(ByteSpan header, std::span<const AddressRange> ram);

/// Where rings stand in these bytes, which were read from `from` on; at multiples of 4.
std::vector<std::uint32_t> findRingMarks(ByteSpan bytes, std::uint32_t from);

/// What came of one look at a ring.
struct RingNews {
  Bytes bytes;
  std::uint32_t lost = 0;  ///< more bytes that found no room since the last look
  bool began = false;      ///< the target has begun anew
  bool there = true;       ///< false while there is no ring to be believed
};

/// One ring, read while the target runs and without halting it: bytes first, then how many were taken.
class ConsoleRing {
 public:
  ConsoleRing(std::uint32_t at, std::vector<AddressRange> ram) : at_(at), ram_(std::move(ram)) {}

  std::uint32_t at() const { return at_; }
  /// All that waits. Throws what the memory throws.
  RingNews take(TargetMemory& memory);
  /// As many as there is room for; returns how many that were. Throws what the memory throws.
  std::size_t give(TargetMemory& memory, ByteSpan bytes);

 private:
  std::optional<RingHeader> look(TargetMemory& memory);

  std::uint32_t at_;
  std::vector<AddressRange> ram_;
  std::optional<RingHeader> last_;
};

/// Looks through all of `ram` for rings, in pieces; `going` is asked between them and ends the search by false. Pieces
/// that cannot be read are left out. Throws LinkLost and BrokenChain.
std::vector<ConsoleRing> findRings(TargetMemory& memory, const std::vector<AddressRange>& ram,
                                   const std::function<bool()>& going);

}  // namespace imprimo::console
