// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <span>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/bytes.h"
#include "core/image/shared_bytes.h"

namespace imprimo {

/// Bytes at addresses, with gaps. Segments are sorted, never touch and never overlap. A copy costs next to nothing: it
/// shares the bytes of each segment until one of the two changes them.
class MemoryImage {
 public:
  struct Segment {
    std::uint64_t begin;
    ByteSpan bytes;
    AddressRange range() const { return {begin, begin + bytes.size()}; }
  };

  bool empty() const { return segments_.empty(); }
  std::uint64_t byteCount() const;
  /// From the first byte to the last; empty when there are none.
  AddressRange extent() const;

  /// Puts bytes at `address`; what was there is replaced. The range must not wrap.
  void write(std::uint64_t address, ByteSpan bytes);
  /// The same; the bytes are taken over without a copy where that can be.
  void write(std::uint64_t address, Bytes&& bytes);
  /// Puts bytes behind all that is there; false, and nothing done, when `address` is before the end.
  bool extend(std::uint64_t address, ByteSpan bytes);
  /// Puts all of `other` over this one.
  void write(const MemoryImage& other);
  void write(MemoryImage&& other);
  /// How many bytes will come in all, if that is known: a large segment then takes its room once. A bound will do: room
  /// that is not written to costs nothing.
  void expect(std::uint64_t bytes) { expected_ = bytes; }
  /// Forgets what is in `range`.
  void erase(const AddressRange& range);
  /// All of it that much higher. Nothing may run past the end of all addresses.
  void moveUp(std::uint64_t offset);
  void moveDown(std::uint64_t offset);
  /// Calls change(address, span of bytes) for each segment, to change bytes where they are.
  template <typename Change>
  void changeBytes(Change&& change) {
    for (auto& [begin, bytes] : segments_) change(begin, std::span<std::uint8_t>(bytes.own()));
  }

  /// All segments, or the parts of them that lie in `range`. The spans live until the next change.
  std::vector<Segment> segments() const;
  std::vector<Segment> segmentsIn(const AddressRange& range) const;

  bool covers(const AddressRange& range) const;
  bool touches(const AddressRange& range) const;
  std::optional<std::uint8_t> at(std::uint64_t address) const;
  /// Copies what is there over `out`, which stands at `address`; the gaps in `out` stay as they were.
  void copyTo(std::uint64_t address, std::span<std::uint8_t> out) const;
  /// Like copyTo into bytes of `fill`.
  Bytes bytes(const AddressRange& range, std::uint8_t fill = kBlankByte) const;

  friend bool operator==(const MemoryImage& a, const MemoryImage& b) { return a.segments_ == b.segments_; }

 private:
  using Map = std::map<std::uint64_t, SharedBytes>;
  Map::const_iterator firstTouching(const AddressRange& range) const;
  void append(SharedBytes& into, ByteSpan bytes);
  void take(std::uint64_t address, SharedBytes&& bytes);
  void move(std::uint64_t by);

  Map segments_;
  std::uint64_t expected_ = 0;
};

}  // namespace imprimo
