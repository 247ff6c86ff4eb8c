// SPDX-License-Identifier: GPL-3.0-or-later
//
//   file     = standard [ ";" ] "ENTITY" name ";" { fact ";" } section { section }        comments: "--" to the line's
//   end fact     = word { anything but ";" } section  = "DATA" name "{" { row } "}" [ "CRC" digits ] [ ";" ] row      =
//   [ length ":" ] digits { "_" digits }
#include "core/image/isc_data.h"

#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo {
namespace {

constexpr std::uint32_t kMostRowBits = 1u << 30;

char upper(char c) {
  return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
}
bool sameWord(std::string_view a, std::string_view b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) { return upper(x) == upper(y); });
}
bool isBlank(char c) {
  return c == ' ' || (c >= '\t' && c <= '\r');
}
bool isWord(char c) {
  return (upper(c) >= 'A' && upper(c) <= 'Z') || (c >= '0' && c <= '9') || c == '_';
}

class IscDataReader {
 public:
  IscDataReader(std::string_view text, const std::string& name) : text_(text), name_(name) {}

  IscDataFile read() {
    IscDataFile file;
    file.standard = std::string(word("STD_1532_2001 or STD_1532_2002"));
    if (!sameWord(file.standard.substr(0, 9), "STD_1532_"))
      fail(0, "a data file begins with STD_1532_2001 or STD_1532_2002");
    take(';');
    const std::size_t entityAt = (skip(), at_);
    if (!sameWord(word("ENTITY"), "ENTITY")) fail(entityAt, "ENTITY and the part's name should stand here");
    file.entity = std::string(word("the part's name"));
    need(';');
    for (skip(); at_ < text_.size(); skip()) {
      const std::size_t begin = at_;
      const std::string_view first = word("DATA");
      if (sameWord(first, "DATA")) {
        file.sections.push_back(section(file));
        continue;
      }
      if (!file.sections.empty()) fail(begin, "only DATA can follow the first section");
      const std::size_t end = text_.find(';', at_);
      if (end == std::string_view::npos) fail(begin, "this line of the header is not closed by ';'");
      std::string_view rest = text_.substr(at_, end - at_);
      while (!rest.empty() && isBlank(rest.front())) rest.remove_prefix(1);
      while (!rest.empty() && isBlank(rest.back())) rest.remove_suffix(1);
      file.facts.emplace_back(first, rest);
      at_ = end + 1;
    }
    if (file.sections.empty()) fail(text_.size(), "the file has no DATA: it was cut off, or is no data file");
    return file;
  }

 private:
  [[noreturn]] void fail(std::size_t offset, const std::string& what) const {
    const std::size_t start = text_.substr(0, offset).rfind('\n');
    throw Error(ErrorKind::BadFile, fmt::format("{}:{}:{}: {}", name_, lineOf(offset),
                                                offset - (start == std::string_view::npos ? 0 : start + 1) + 1, what));
  }
  int lineOf(std::size_t offset) const {
    // Asked for rising offsets, row by row, so only what is new is counted.
    if (offset < counted_) counted_ = 0, line_ = 1;
    line_ += static_cast<int>(std::count(text_.begin() + static_cast<std::ptrdiff_t>(counted_),
                                         text_.begin() + static_cast<std::ptrdiff_t>(offset), '\n'));
    counted_ = offset;
    return line_;
  }

  void skip() {
    while (at_ < text_.size()) {
      if (isBlank(text_[at_])) {
        ++at_;
      } else if (text_.substr(at_, 2) == "--") {
        at_ = std::min(text_.find('\n', at_), text_.size());
      } else {
        return;
      }
    }
  }
  bool is(char c) {
    skip();
    return at_ < text_.size() && text_[at_] == c;
  }
  bool take(char c) { return is(c) && (++at_, true); }
  void need(char c) {
    if (!take(c)) fail(at_, fmt::format("'{}' should stand here", c));
  }
  std::string_view word(const char* what) {
    skip();
    const std::size_t begin = at_;
    while (at_ < text_.size() && isWord(text_[at_])) ++at_;
    if (at_ == begin) fail(at_, fmt::format("{} should stand here", what));
    return text_.substr(begin, at_ - begin);
  }

  IscDataFile::Section section(const IscDataFile& file) {
    IscDataFile::Section s;
    skip();
    const std::size_t begin = at_;
    s.name = std::string(word("the data's name"));
    if (file.section(s.name) != nullptr) fail(begin, fmt::format("there are two sections {}", s.name));
    need('{');
    while (!is('}')) row(s);
    take('}');
    skip();
    if (sameWord(text_.substr(at_, 3), "CRC") && at_ + 3 < text_.size() && !isWord(text_[at_ + 3])) {
      at_ += 3;
      skip();
      const std::size_t crcAt = at_;
      const BitVector bits = digits(word("the check sum"), crcAt, 32);
      s.crc = static_cast<std::uint32_t>(bits.bits(0, 32));
    }
    take(';');
    return s;
  }

  void row(IscDataFile::Section& s) {
    if (at_ >= text_.size()) fail(at_, fmt::format("the file ends inside {}: it was cut off", s.name));
    const std::size_t begin = at_;
    std::string_view value = word("hexadecimal digits or '}'");
    std::uint32_t length = 0;
    if (take(':')) {
      std::uint64_t number = 0;
      for (const char c : value) {
        if (c < '0' || c > '9' || number > kMostRowBits) fail(begin, "a row's length is a whole number of bits");
        number = number * 10 + static_cast<std::uint64_t>(c - '0');
      }
      if (number == 0 || number > kMostRowBits) fail(begin, fmt::format("a row has 1 to {} bits", kMostRowBits));
      length = static_cast<std::uint32_t>(number);
      skip();
      value = word("hexadecimal digits");
      // Zeros may be left out in front, but not so many that a slip in the length asks for all memory.
      if (length > 4 * value.size() + 4096) fail(begin, fmt::format("{} bits are more than stand here", length));
    }
    const BitVector bits = digits(value, begin, length);
    s.rows.push_back(static_cast<std::uint32_t>(bits.size()));
    s.lines.push_back(lineOf(begin));
    s.bits.append(bits);
  }

  /// `length` 0: four bits for each digit.
  BitVector digits(std::string_view text, std::size_t at, std::uint32_t length) const {
    std::string plain(text);
    std::erase(plain, '_');
    if (plain.empty()) fail(at, "hexadecimal digits should stand here");
    const std::size_t size = length == 0 ? 4 * plain.size() : length;
    const auto bits = BitVector::fromDigits(plain, size);
    if (!bits) fail(at, fmt::format("{} is no hexadecimal value of {} bits", plain.substr(0, 40), size));
    return *bits;
  }

  std::string_view text_;
  const std::string& name_;
  std::size_t at_ = 0;
  mutable std::size_t counted_ = 0;
  mutable int line_ = 1;
};

}  // namespace

const IscDataFile::Section* IscDataFile::section(std::string_view name) const {
  const auto it =
      std::find_if(sections.begin(), sections.end(), [&](const Section& s) { return sameWord(s.name, name); });
  return it == sections.end() ? nullptr : &*it;
}

bool looksLikeIscData(std::string_view text) {
  // Behind comments the standard's name stands first.
  while (!text.empty()) {
    if (isBlank(text.front())) {
      text.remove_prefix(1);
    } else if (text.starts_with("--")) {
      const std::size_t end = text.find('\n');
      if (end == std::string_view::npos) return false;
      text.remove_prefix(end);
    } else {
      return sameWord(text.substr(0, 9), "STD_1532_");
    }
  }
  return false;
}

IscDataFile parseIscData(std::string_view text, const std::string& name) {
  return IscDataReader(text, name).read();
}

std::uint32_t iscCrc(const BitVector& bits) {
  BitVector whole = bits;
  whole.appendFill(false, (8 - bits.size() % 8) % 8);
  Bytes bytes(whole.size() / 8);
  whole.readLsbFirst(0, bytes);
  return static_cast<std::uint32_t>(crc32_z(0, bytes.data(), bytes.size()));
}

}  // namespace imprimo
