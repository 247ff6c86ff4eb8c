// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo::svf {

/// Collects hexadecimal digits as they come, the most significant first, into bits of a length that is known
/// beforehand. Holds no more than those bits, however long the text is: digits are put where they will stay if as many
/// follow as the length asks for, and moved once at the end if there were fewer.
class DigitCollector {
 public:
  explicit DigitCollector(std::size_t length);

  /// As many leading characters of `text` as are digits; returns how many. Stops early at a digit that makes the value
  /// too large; tooLarge() is true then.
  std::size_t add(std::string_view text);
  bool tooLarge() const { return tooLarge_; }
  /// How many digits came, leading zeros included.
  std::uint64_t digits() const { return digits_; }
  /// The bits, in wire order; the collector is used up.
  BitVector finish();

 private:
  void put(unsigned digit);
  std::size_t wholeWords(std::string_view text);
  void moveUp(std::size_t digits);
  void store();

  std::size_t length_;
  std::size_t room_;  // digits that the length has
  std::uint64_t digits_ = 0;
  std::uint64_t zeros_ = 0;  // leading ones
  std::size_t next_ = 0;     // where the next digit goes, counted from the top
  std::uint64_t word_ = 0;   // the digits of the word that is being filled
  bool begun_ = false, tooLarge_ = false;
  std::vector<std::uint64_t> words_;
};

}  // namespace imprimo::svf
