// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo {

/// A run of bits in wire order: bit 0 goes first. Appending and reading work at any bit offset, 64 bits at a time.
/// A value with many ways in and out: bits, words, bytes of either order, digits and text.
class BitVector {
 public:
  BitVector() = default;
  explicit BitVector(std::size_t size, bool value = false) { appendFill(value, size); }
  /// Wire order, first bit on the left: "1100". Throws std::invalid_argument for any other character than 0 and 1.
  static BitVector fromWireText(std::string_view text);
  /// The `size` low bits of `value`, least significant first (the order of IEEE 1149.1 registers).
  static BitVector fromLsbFirst(std::uint64_t value, std::size_t size);
  /// Hexadecimal digits, most significant first, so that the last one goes first; zeros in front fill up to `size`
  /// bits. Nothing for a character that is no digit, and for a value that needs more bits.
  static std::optional<BitVector> fromDigits(std::string_view digits, std::size_t size);
  /// Bit 0 of the first word goes first; what the words have past `size` is dropped, what they lack is 0.
  static BitVector fromWords(std::vector<std::uint64_t> words, std::size_t size);

  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }
  /// 64 bits each, the first in bit 0; zeros behind the last.
  std::span<const std::uint64_t> words() const { return words_; }
  void clear();
  void reserve(std::size_t bits) { words_.reserve(bits / 64 + 1); }

  bool operator[](std::size_t i) const { return words_[i / 64] >> (i % 64) & 1u; }
  void set(std::size_t i, bool value);

  /// The `count` (0 to 64) bits from `at`, the first in bit 0. Bits past the end read as 0.
  std::uint64_t bits(std::size_t at, std::size_t count) const;

  void append(bool bit) { appendBits(bit ? 1 : 0, 1); }
  /// The `count` (0 to 64) low bits of `value`, bit 0 first.
  void appendBits(std::uint64_t value, std::size_t count);
  void appendFill(bool value, std::size_t count);
  void append(const BitVector& other);
  void appendLsbFirst(ByteSpan bytes);
  void appendMsbFirst(ByteSpan bytes);

  /// Whole bytes from bit `at`, least significant bit first. The bits must exist.
  void readLsbFirst(std::size_t at, std::span<std::uint8_t> out) const;
  /// Whole bytes from bit `at`, most significant bit first. The bits must exist.
  void readMsbFirst(std::size_t at, std::span<std::uint8_t> out) const;

  std::string wireText() const;
  /// The opposite of fromDigits: as many digits as the size needs.
  std::string digits() const;
  /// `count` bits from `at`; they must exist.
  BitVector slice(std::size_t at, std::size_t count) const;
  friend bool operator==(const BitVector& a, const BitVector& b) { return a.size_ == b.size_ && a.words_ == b.words_; }

 private:
  template <bool kMsbFirst>
  void appendBytes(ByteSpan bytes);
  template <bool kMsbFirst>
  void readBytes(std::size_t at, std::span<std::uint8_t> out) const;

  // Invariant: words_.size() == ceil(size_ / 64), and bits at and past size_ are 0.
  std::vector<std::uint64_t> words_;
  std::size_t size_ = 0;
};

}  // namespace imprimo
