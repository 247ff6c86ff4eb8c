// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/digits.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <optional>

namespace imprimo::svf {
namespace {

constexpr unsigned kNoDigit = 16;
constexpr std::size_t kDigitsInWord = 16;

constexpr std::array<std::uint8_t, 256> kValues = [] {
  std::array<std::uint8_t, 256> values{};
  for (auto& v : values) v = kNoDigit;
  for (unsigned i = 0; i < 10; ++i) values['0' + i] = static_cast<std::uint8_t>(i);
  for (unsigned i = 0; i < 6; ++i) values['A' + i] = values['a' + i] = static_cast<std::uint8_t>(10 + i);
  return values;
}();

unsigned valueOf(char c) {
  return kValues[static_cast<std::uint8_t>(c)];
}

/// Moves the bits towards the first one by whole digits.
void shiftDown(std::vector<std::uint64_t>& words, std::size_t digits) {
  const std::size_t whole = digits / kDigitsInWord;
  const std::size_t bits = 4 * (digits % kDigitsInWord);
  for (std::size_t i = 0; i < words.size(); ++i) {
    const std::uint64_t low = i + whole < words.size() ? words[i + whole] : 0;
    const std::uint64_t high = i + whole + 1 < words.size() ? words[i + whole + 1] : 0;
    words[i] = bits == 0 ? low : low >> bits | high << (64 - bits);
  }
}

/// Moves them the other way; what leaves at the upper end is lost.
void shiftUp(std::vector<std::uint64_t>& words, std::size_t digits) {
  const std::size_t whole = digits / kDigitsInWord;
  const std::size_t bits = 4 * (digits % kDigitsInWord);
  for (std::size_t i = words.size(); i-- > 0;) {
    const std::uint64_t high = i >= whole ? words[i - whole] : 0;
    const std::uint64_t low = i >= whole + 1 ? words[i - whole - 1] : 0;
    words[i] = bits == 0 ? high : high << bits | low >> (64 - bits);
  }
}

}  // namespace

DigitCollector::DigitCollector(std::size_t length) : length_(length), room_((length + 3) / 4) {}

void DigitCollector::store() {
  // `next_` digits are placed, so the lowest of them is digit room_ - next_ from the bottom.
  const std::size_t lowest = room_ - next_;
  words_[lowest / kDigitsInWord] |= word_ << (4 * (lowest % kDigitsInWord));
  word_ = 0;
}

void DigitCollector::moveUp(std::size_t digits) {
  store();
  shiftUp(words_, digits);
  next_ -= digits;
}

void DigitCollector::put(unsigned digit) {
  word_ = word_ << 4 | digit;
  ++next_;
  if ((room_ - next_) % kDigitsInWord == 0) store();
}

namespace {

constexpr std::uint64_t each(std::uint64_t byte) {
  return byte * 0x0101010101010101u;
}

/// Eight digits at once, the first one the most significant; nothing when one of them is none.
std::optional<std::uint32_t> eightDigits(const char* text) {
  std::uint64_t v = 0;
  std::memcpy(&v, text, 8);
  // A byte's highest bit tells whether it is at least so much; that needs bytes below 0x80.
  const std::uint64_t lower = v | each(0x20);
  const std::uint64_t digit = (v + each(0x80 - '0')) & ~(v + each(0x80 - ('9' + 1)));
  const std::uint64_t letter = (lower + each(0x80 - 'a')) & ~(lower + each(0x80 - ('f' + 1)));
  if ((v & each(0x80)) != 0 || ((digit | letter) & each(0x80)) != each(0x80)) return std::nullopt;
  v = (v & each(0x0F)) + 9 * ((v >> 6) & each(0x01));
  v = __builtin_bswap64(v);
  v = (v | v >> 4) & 0x00FF00FF00FF00FFu;
  v = (v | v >> 8) & 0x0000FFFF0000FFFFu;
  return static_cast<std::uint32_t>(v | v >> 16);
}

}  // namespace

/// The bulk of long scans: sixteen digits at a time, where they fill a word.
std::size_t DigitCollector::wholeWords(std::string_view text) {
  std::size_t i = 0;
  for (; i + kDigitsInWord <= text.size(); i += kDigitsInWord) {
    const auto high = eightDigits(text.data() + i), low = eightDigits(text.data() + i + 8);
    if (!high || !low) break;
    next_ += kDigitsInWord;
    words_[(room_ - next_) / kDigitsInWord] |= static_cast<std::uint64_t>(*high) << 32 | *low;
  }
  return i;
}

std::size_t DigitCollector::add(std::string_view text) {
  std::size_t i = 0;
  for (; !begun_ && i < text.size(); ++i) {
    const unsigned value = valueOf(text[i]);
    if (value == kNoDigit) break;
    ++digits_;
    if (value == 0) {
      ++zeros_;
      continue;
    }
    begun_ = true;
    // A scan of no bits, or one whose first digit has bits above its length, is told apart in finish().
    words_.assign((length_ + 63) / 64, 0);
    next_ = zeros_ < room_ ? static_cast<std::size_t>(zeros_) : 0;
    if (room_ == 0) {
      tooLarge_ = true;
      return i;
    }
    put(value);
  }
  while (begun_ && i < text.size()) {
    if (next_ == room_) {
      // Either some of the zeros in front were more than the length asks for, or the value is too large.
      if (valueOf(text[i]) == kNoDigit) break;
      const std::uint64_t spare = zeros_ < room_ ? zeros_ : 0;
      tooLarge_ = spare == 0;
      if (tooLarge_) break;
      zeros_ = 0;
      moveUp(static_cast<std::size_t>(spare));
    }
    const std::size_t end = std::min(text.size(), i + (room_ - next_));
    const std::size_t from = i;
    while (i < end) {
      if ((room_ - next_) % kDigitsInWord == 0) i += wholeWords(text.substr(i, end - i));
      if (i == end) break;
      const unsigned value = valueOf(text[i]);
      if (value == kNoDigit) break;
      put(value);
      ++i;
    }
    digits_ += i - from;
    if (i < end) break;
  }
  return i;
}

BitVector DigitCollector::finish() {
  if (!begun_) return BitVector(length_);
  if (next_ < room_) {
    store();
    shiftDown(words_, room_ - next_);
  }
  const std::size_t used = length_ % 64;
  if (used != 0 && words_.back() >> used != 0) tooLarge_ = true;
  return BitVector::fromWords(std::move(words_), length_);
}

}  // namespace imprimo::svf
