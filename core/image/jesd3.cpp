// SPDX-License-Identifier: GPL-3.0-or-later
//
// JESD3-C:
//
//   file    = anything STX text "*" { field "*" } ETX xmit
//   field   = "N" text | "QF" n | "QP" n | "QV" n | "F" bit | "L" n bits | "K" n digits | "C" 4 digits | "G" bit
//           | "U" bits | "UH" digits | "UA" text | "E" bits | "A" | "D" | "J" | "P" | "R" | "S" | "T" | "V" | "X" ...
//   xmit    = 4 digits: the sum of all characters from STX to ETX, 0000 where it is not told
//
// A digit of K is four fuses, its highest bit the first of them, so that K0 A5 is L0 10100101.
// Test vectors (V, P, X), their signature analysis (R, S, T), access times (A), and what names the device (D, J) are
// passed over: nothing of them is put into a part. Electrical fuses (E) are not put in either, so they have to be 0.
#include "core/image/jesd3.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/image/hex_digits.h"

namespace imprimo {
namespace {

constexpr char kStx = 2, kEtx = 3;
// No part has more; a larger figure is a slip and would only make us ask for memory.
constexpr std::uint64_t kMostFuses = 1u << 28;

bool isGap(char c) {
  return c == ' ' || (c >= '\t' && c <= '\r');
}
bool isDigit(char c) {
  return c >= '0' && c <= '9';
}
class FuseReader {
 public:
  FuseReader(std::string_view text, const std::string& name) : text_(text), name_(name) {}

  FuseFile read() {
    const std::size_t stx = text_.find(kStx);
    if (stx == std::string_view::npos) fail(0, "no STX (code 02) stands where a fuse file begins");
    at_ = stx + 1;
    file_.design = std::string(trimmed(takeField()));
    for (skipBlanks(); at_ < text_.size() && text_[at_] != kEtx; skipBlanks()) field();
    if (at_ >= text_.size()) fail(text_.size(), "the file ends before its ETX (code 03): it was cut off");
    finishFuses();
    transmission(stx);
    return std::move(file_);
  }

 private:
  [[noreturn]] void fail(std::size_t offset, const std::string& what, const char* remedy = "") const {
    const auto before = text_.substr(0, std::min(offset, text_.size()));
    const auto line = 1 + std::count(before.begin(), before.end(), '\n');
    const std::size_t start = before.rfind('\n');
    const std::size_t column = before.size() - (start == std::string_view::npos ? 0 : start + 1) + 1;
    throw Error(ErrorKind::BadFile, fmt::format("{}: line {}, column {}: {}", name_, line, column, what), remedy);
  }

  static std::string_view trimmed(std::string_view text) {
    while (!text.empty() && isGap(text.front())) text.remove_prefix(1);
    while (!text.empty() && isGap(text.back())) text.remove_suffix(1);
    return text;
  }

  void skipBlanks() {
    while (at_ < text_.size() && isGap(text_[at_])) ++at_;
  }

  /// Up to the '*', which is taken too.
  std::string_view takeField() {
    const std::size_t end = text_.find('*', at_);
    const std::size_t etx = text_.find(kEtx, at_);
    if (end == std::string_view::npos || etx < end) fail(at_, "this field is not closed by '*'");
    const std::string_view field = text_.substr(at_, end - at_);
    at_ = end + 1;
    return field;
  }

  void field() {
    const std::size_t begin = at_;
    const std::string_view field = takeField();
    if (field.empty()) return;
    const auto rest = [&](std::size_t n) { return field.substr(n); };
    switch (field[0]) {
      case 'N':
        file_.notes.emplace_back(trimmed(rest(1)));
        break;
      case 'Q':
        if (field.starts_with("QF")) {
          fuseCount(begin, rest(2));
        } else if (!field.starts_with("QP") && !field.starts_with("QV")) {
          unknown(begin, field.substr(0, 2));
        }
        break;
      case 'F':
        initial_ = bit(begin, rest(1));
        break;
      case 'L':
        fuseList(begin, field, false);
        break;
      case 'K':
        fuseList(begin, field, true);
        break;
      case 'E':
        if (field.find_first_not_of("0 \t\r\n", 1) != std::string_view::npos)
          fail(begin, "there are electrical fuses (field E) which are not 0, and none are put into a part here");
        break;
      case 'C':
        checksumAt_ = begin;
        checksum_ = digits4(begin, trimmed(rest(1)));
        break;
      case 'G':
        file_.security = bit(begin, rest(1));
        break;
      case 'U':
        user(begin, rest(1));
        break;
      default:
        if (field[0] < 'A' || field[0] > 'Z') fail(begin, "a field begins with a capital letter");
        if (std::string_view("ADJPRSTVX").find(field[0]) == std::string_view::npos) unknown(begin, field.substr(0, 1));
    }
  }

  [[noreturn]] void unknown(std::size_t begin, std::string_view name) const {
    fail(begin, fmt::format("there is no field {} in JESD3, so what it asks for is not known", name),
         "Make the file as JESD3-C, or take the field out if it is of no use.");
  }

  void fuseCount(std::size_t begin, std::string_view text) {
    if (counted_) fail(begin, "QF stands here a second time");
    const std::uint64_t count = number(begin, trimmed(text));
    if (count == 0 || count > kMostFuses) fail(begin, fmt::format("QF should be 1 to {} fuses", kMostFuses));
    counted_ = true;
    file_.fuses = BitVector(count);
    given_ = BitVector(count);
  }

  std::uint64_t number(std::size_t begin, std::string_view text) const {
    if (text.empty() || text.size() > 10 || !std::all_of(text.begin(), text.end(), isDigit))
      fail(begin, "a decimal number should stand in this field");
    std::uint64_t value = 0;
    for (const char c : text) value = value * 10 + static_cast<std::uint64_t>(c - '0');
    return value;
  }

  bool bit(std::size_t begin, std::string_view text) const {
    text = trimmed(text);
    if (text != "0" && text != "1") fail(begin, "this field should be 0 or 1");
    return text == "1";
  }

  std::uint16_t digits4(std::size_t begin, std::string_view text) const {
    const auto value = BitVector::fromDigits(text, 16);
    if (!value || text.size() != 4) fail(begin, "a checksum has four hexadecimal digits");
    return static_cast<std::uint16_t>(value->bits(0, 16));
  }

  void fuseList(std::size_t begin, std::string_view field, bool hexadecimal) {
    if (!counted_) fail(begin, "fuses are listed before QF says how many there are");
    std::size_t i = 1;
    while (i < field.size() && isDigit(field[i])) ++i;
    std::uint64_t fuse = number(begin, field.substr(1, i - 1));
    if (i < field.size() && !isGap(field[i])) fail(begin + i, "a blank should follow the first fuse's number");
    for (; i < field.size(); ++i) {
      const char c = field[i];
      if (isGap(c)) continue;
      if (hexadecimal) {
        const int digit = digitValue(c);
        if (digit < 0) fail(begin + i, fmt::format("four fuses are a hexadecimal digit, not '{}'", c));
        for (int bit = 3; bit >= 0; --bit) put(begin + i, fuse++, (digit >> bit & 1) != 0, bit < 3);
        continue;
      }
      if (c != '0' && c != '1') fail(begin + i, fmt::format("a fuse is 0 or 1, not '{}'", c));
      put(begin + i, fuse++, c == '1', false);
    }
  }

  /// `fills`: a 0 behind the last fuse only fills its digit.
  void put(std::size_t at, std::uint64_t fuse, bool value, bool fills) {
    if (fuse < file_.fuses.size()) {
      file_.fuses.set(fuse, value);
      given_.set(fuse, true);
      return;
    }
    if (!fills || value) fail(at, fmt::format("fuse {} is outside: QF says {} fuses", fuse, file_.fuses.size()));
  }

  void user(std::size_t begin, std::string_view text) {
    text = trimmed(text);
    BitVector bits;
    if (text.starts_with('H')) {
      text.remove_prefix(1);
      const auto value = BitVector::fromDigits(text, 4 * text.size());
      if (!value) fail(begin, "UH has hexadecimal digits");
      bits = *value;
    } else if (text.starts_with('A')) {
      text.remove_prefix(1);
      for (auto c = text.rbegin(); c != text.rend(); ++c) bits.appendBits(static_cast<std::uint8_t>(*c), 8);
    } else {
      for (auto c = text.rbegin(); c != text.rend(); ++c) {
        if (*c != '0' && *c != '1') fail(begin, "U has bits; digits follow UH, text follows UA");
        bits.append(*c == '1');
      }
    }
    file_.user = std::move(bits);
  }

  void finishFuses() {
    if (!counted_) fail(at_, "the file has no QF field, so it does not say how many fuses there are");
    for (std::size_t i = 0; i < file_.fuses.size(); ++i) {
      if (given_[i]) continue;
      if (!initial_)
        fail(at_, fmt::format("nothing says what fuse {} is: no L field has it, and there is no F field", i));
      file_.fuses.set(i, *initial_);
    }
    file_.checksum = fuseChecksum(file_.fuses);
    file_.checksumGiven = checksum_.has_value();
    if (checksum_ && *checksum_ != file_.checksum) {
      fail(checksumAt_, fmt::format("the fuse checksum is {:04X}, the fuses give {:04X}", *checksum_, file_.checksum),
           "Fuses were changed or lost on the way: generate the file again.");
    }
  }

  void transmission(std::size_t stx) {
    const std::size_t etx = at_;
    const std::string_view digits = trimmed(text_.substr(etx + 1).substr(0, 8));
    if (digits.size() < 4) fail(etx, "four digits of transmission checksum should follow ETX");
    const std::uint16_t given = digits4(etx + 1, digits.substr(0, 4));
    if (given == 0) return;  // "not computed"
    unsigned sum = 0, withoutParity = 0;
    for (std::size_t i = stx; i <= etx; ++i) {
      sum += static_cast<std::uint8_t>(text_[i]);
      withoutParity += static_cast<std::uint8_t>(text_[i]) & 0x7F;
    }
    file_.transmissionGiven = true;
    // The standard leaves the parity bit out; tools with a letter that is not ASCII do one or the other.
    if ((sum & 0xFFFF) != given && (withoutParity & 0xFFFF) != given) {
      fail(etx + 1, fmt::format("the transmission checksum is {:04X}, the file gives {:04X}", given, sum & 0xFFFF),
           "The file was edited or damaged (line ends count too): generate it again, or put 0000 there.");
    }
  }

  std::string_view text_;
  const std::string& name_;
  std::size_t at_ = 0;
  FuseFile file_;
  BitVector given_;
  bool counted_ = false;
  std::optional<bool> initial_;
  std::optional<std::uint16_t> checksum_;
  std::size_t checksumAt_ = 0;
};

}  // namespace

bool looksLikeJesd3(std::string_view text) {
  const std::size_t stx = text.substr(0, 512).find(kStx);
  if (stx == std::string_view::npos) return false;
  const auto before = text.substr(0, stx);
  const bool readable = std::all_of(before.begin(), before.end(), [](char c) { return c >= ' ' || isGap(c); });
  return readable && text.find('*', stx) != std::string_view::npos &&
         text.substr(stx, 1 << 16).find("QF") != std::string_view::npos;
}

std::uint16_t fuseChecksum(const BitVector& fuses) {
  std::uint32_t sum = 0;
  for (std::size_t at = 0; at < fuses.size(); at += 8) sum += static_cast<std::uint32_t>(fuses.bits(at, 8));
  return static_cast<std::uint16_t>(sum);
}

FuseFile parseJesd3(std::string_view text, const std::string& name) {
  return FuseReader(text, name).read();
}

}  // namespace imprimo
