// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/bit_vector.h"

#include <algorithm>
#include <bit>
#include <stdexcept>

namespace imprimo {

static_assert(std::endian::native == std::endian::little, "words are loaded and stored as little-endian bytes");

namespace {
constexpr std::uint64_t lowMask(std::size_t count) {
  return count >= 64 ? ~0ull : (1ull << count) - 1;
}
}  // namespace

BitVector BitVector::fromWireText(std::string_view text) {
  BitVector bits;
  for (const char c : text) {
    if (c != '0' && c != '1') throw std::invalid_argument("bits are written with 0 and 1");
    bits.append(c == '1');
  }
  return bits;
}

BitVector BitVector::fromLsbFirst(std::uint64_t value, std::size_t size) {
  BitVector bits;
  bits.appendBits(value, std::min<std::size_t>(size, 64));
  if (size > 64) bits.appendFill(false, size - 64);
  return bits;
}

std::optional<BitVector> BitVector::fromDigits(std::string_view digits, std::size_t size) {
  BitVector bits;
  bits.reserve(size);
  for (auto c = digits.rbegin(); c != digits.rend(); ++c) {
    unsigned value = 0;
    if (*c >= '0' && *c <= '9') {
      value = static_cast<unsigned>(*c - '0');
    } else if ((*c >= 'A' && *c <= 'F') || (*c >= 'a' && *c <= 'f')) {
      value = static_cast<unsigned>(*c & 0x1F) + 9;
    } else {
      return std::nullopt;
    }
    const std::size_t room = size - bits.size();
    if (room < 4 && value >> room != 0) return std::nullopt;
    bits.appendBits(value, std::min<std::size_t>(4, room));
  }
  bits.appendFill(false, size - bits.size());
  return bits;
}

BitVector BitVector::fromWords(std::vector<std::uint64_t> words, std::size_t size) {
  BitVector bits;
  words.resize((size + 63) / 64);
  if (size % 64 != 0) words.back() &= lowMask(size % 64);
  bits.words_ = std::move(words);
  bits.size_ = size;
  return bits;
}

std::string BitVector::digits() const {
  std::string text;
  for (std::size_t i = (size_ + 3) / 4; i-- > 0;) text += "0123456789ABCDEF"[bits(4 * i, 4)];
  return text;
}

BitVector BitVector::slice(std::size_t at, std::size_t count) const {
  BitVector part;
  part.reserve(count);
  for (std::size_t i = 0; i < count; i += 64) {
    const std::size_t some = std::min<std::size_t>(64, count - i);
    part.appendBits(bits(at + i, some), some);
  }
  return part;
}

void BitVector::clear() {
  words_.clear();
  size_ = 0;
}

void BitVector::set(std::size_t i, bool value) {
  const std::uint64_t mask = 1ull << (i % 64);
  words_[i / 64] = value ? words_[i / 64] | mask : words_[i / 64] & ~mask;
}

std::uint64_t BitVector::bits(std::size_t at, std::size_t count) const {
  const std::size_t word = at / 64;
  const std::size_t shift = at % 64;
  if (count == 0 || word >= words_.size()) return 0;
  std::uint64_t value = words_[word] >> shift;
  if (shift != 0 && word + 1 < words_.size()) value |= words_[word + 1] << (64 - shift);
  return value & lowMask(count);
}

void BitVector::appendBits(std::uint64_t value, std::size_t count) {
  if (count == 0) return;
  value &= lowMask(count);
  const std::size_t shift = size_ % 64;
  if (shift == 0) {
    words_.push_back(value);
  } else {
    words_.back() |= value << shift;
    if (shift + count > 64) words_.push_back(value >> (64 - shift));
  }
  size_ += count;
}

void BitVector::appendFill(bool value, std::size_t count) {
  const std::uint64_t word = value ? ~0ull : 0;
  const std::size_t head = std::min(count, (64 - size_ % 64) % 64);
  appendBits(word, head);
  count -= head;
  words_.insert(words_.end(), count / 64, word);
  size_ += count / 64 * 64;
  appendBits(word, count % 64);
}

void BitVector::append(const BitVector& other) {
  if (size_ % 64 == 0) {
    words_.insert(words_.end(), other.words_.begin(), other.words_.end());
    size_ += other.size_;
    return;
  }
  std::size_t left = other.size_;
  for (const std::uint64_t word : other.words_) {
    appendBits(word, std::min<std::size_t>(left, 64));
    left -= std::min<std::size_t>(left, 64);
  }
}

template <bool kMsbFirst>
void BitVector::appendBytes(ByteSpan bytes) {
  const std::size_t whole = bytes.size() / 8;
  const std::size_t shift = size_ % 64;
  const std::size_t firstWord = words_.size();
  words_.resize(firstWord + whole);
  // Whole words go straight into place; what spills over the word's end waits in `carry`.
  std::uint64_t carry = shift != 0 ? words_[firstWord - 1] : 0;
  std::uint64_t* to = words_.data() + (shift != 0 ? firstWord - 1 : firstWord);
  for (std::size_t i = 0; i < whole; ++i) {
    std::uint64_t word;
    std::memcpy(&word, bytes.data() + 8 * i, 8);
    if constexpr (kMsbFirst) word = reverseBitsInBytes(word);
    to[i] = carry | word << shift;
    carry = shift != 0 ? word >> (64 - shift) : 0;
  }
  if (shift != 0) to[whole] = carry;
  size_ += whole * 64;
  for (const std::uint8_t byte : bytes.subspan(whole * 8)) appendBits(kMsbFirst ? reverseBits(byte) : byte, 8);
}

void BitVector::appendLsbFirst(ByteSpan bytes) {
  appendBytes<false>(bytes);
}
void BitVector::appendMsbFirst(ByteSpan bytes) {
  appendBytes<true>(bytes);
}

template <bool kMsbFirst>
void BitVector::readBytes(std::size_t at, std::span<std::uint8_t> out) const {
  std::size_t i = 0;
  for (; i + 8 <= out.size(); i += 8) {
    std::uint64_t word = bits(at + 8 * i, 64);
    if constexpr (kMsbFirst) word = reverseBitsInBytes(word);
    std::memcpy(out.data() + i, &word, 8);
  }
  for (; i < out.size(); ++i) {
    const auto byte = static_cast<std::uint8_t>(bits(at + 8 * i, 8));
    out[i] = kMsbFirst ? reverseBits(byte) : byte;
  }
}

void BitVector::readLsbFirst(std::size_t at, std::span<std::uint8_t> out) const {
  readBytes<false>(at, out);
}
void BitVector::readMsbFirst(std::size_t at, std::span<std::uint8_t> out) const {
  readBytes<true>(at, out);
}

std::string BitVector::wireText() const {
  std::string text(size_, '0');
  for (std::size_t i = 0; i < size_; ++i) {
    if ((*this)[i]) text[i] = '1';
  }
  return text;
}

}  // namespace imprimo
