// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/range_set.h"
#include "core/image/memory_image.h"

namespace imprimo::memory {

/// Whether what was known of a memory when it was identified last is certain still.
enum class Continuity {
  First,     ///< nothing was known
  Unbroken,  ///< nobody else was there: a bridge kept its mark, a core stayed halted
  Broken,    ///< it may be otherwise: restarted, without power in between, or another board
  NoMarks,   ///< the route keeps none
};

/// How a kind of route tells of that: what has happened, for sentences.
struct ContinuityWords {
  const char* kept = "nobody else was there";
  const char* lost = "the board was restarted, switched off or exchanged";
};

/// What is known of a memory's bytes: *sure* where they were read or confirmed since the last moment at which somebody
/// else could have changed them, or else *from before*: a hint for a preview, on which nothing is decided.
class KnownContents {
 public:
  /// Bytes that were read or confirmed just now; they are sure.
  void write(std::uint64_t address, ByteSpan bytes);
  /// Nothing is known there any more.
  void erase(const AddressRange& range);
  /// The memory may be another one by now, or hold something else: all of it is from before.
  void doubt() { sure_ = {}; }

  const MemoryImage& bytes() const { return bytes_; }
  const RangeSet& sure() const { return sure_; }
  bool isSure(const AddressRange& range) const { return sure_.contains(range); }
  /// Something is known of which nothing proves that it still holds.
  bool hasHints() const { return bytes_.byteCount() > sure_.size(); }

  bool empty() const { return bytes_.empty(); }
  bool covers(const AddressRange& range) const { return bytes_.covers(range); }
  std::optional<std::uint8_t> at(std::uint64_t address) const { return bytes_.at(address); }
  Bytes bytes(const AddressRange& range) const { return bytes_.bytes(range); }
  std::vector<MemoryImage::Segment> segments() const { return bytes_.segments(); }
  std::vector<MemoryImage::Segment> segmentsIn(const AddressRange& range) const { return bytes_.segmentsIn(range); }

 private:
  MemoryImage bytes_;
  RangeSet sure_;  // within bytes_
};

}  // namespace imprimo::memory
