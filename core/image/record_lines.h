// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/image/memory_image.h"

namespace imprimo {

/// What a file of records holds besides data.
struct RecordFile {
  MemoryImage image;
  std::string header;                  ///< the text of an S0 record, as far as it can be printed
  std::optional<std::uint64_t> entry;  ///< where the code begins, if a start record says so
  std::vector<std::string> remarks;  ///< what is odd and does no harm: "line 7: 0x… was given before, with the same …"
};

/// Gives the next bytes of a text into its argument, as many as there is room for or fewer; 0 at the end.
using TextSource = std::function<std::size_t(std::span<char>)>;

/// What formats of one record a line have in common. Lines end in LF, CR LF or CR, the last one need not; blanks at a
/// line's end do not count. A text from a source is never held whole. What other people's tools put around records is
/// passed over and remarked on: a byte order mark, lines that are blank or comments, blanks in front of a record, and
/// 0x1A or NUL bytes behind the last one.
class RecordLines {
 public:
  RecordLines(std::string_view text, std::string name) : text_(text), name_(std::move(name)) {}
  RecordLines(TextSource source, std::string name) : source_(std::move(source)), name_(std::move(name)) {}
  RecordLines(RecordLines&&) = delete;

  /// False behind the last line.
  bool next();
  /// The next line that is not blank and no comment (;, # or // in front, and not a record but for that).
  bool nextRecord();
  std::string_view current() const { return current_; }
  std::size_t number() const { return line_; }  ///< of the current line, from 1
  static bool beginsLikeS(std::string_view line) {
    return line.size() > 1 && (line[0] == 'S' || line[0] == 's') && line[1] >= '0' && line[1] <= '9';
  }
  /// What was passed over, and what else was noticed.
  void remarkOn(RecordFile& file) const;
  /// Throws BadFile "NAME: line N: what".
  [[noreturn]] void fail(const std::string& what, const std::string& remedy = {}) const;
  /// Turns the digits of the line from `first` on into bytes, two digits each; the span lives until the next line.
  /// Fails for an odd number of digits, for other characters and for more than 260 bytes.
  ByteSpan digits(std::size_t first);
  /// Of the bytes that digits() gave last.
  unsigned sum() const { return sum_; }
  /// Puts a record's bytes into the file's image; fails where another record put different ones, and remarks on the
  /// same ones.
  void put(RecordFile& file, std::uint64_t address, ByteSpan data);

 private:
  bool refill();
  std::size_t lineEnd();
  void trim();
  bool isComment() const;
  [[noreturn]] void failDigits(std::size_t first) const;

  TextSource source_;
  std::unique_ptr<char[]> buffer_;  ///< of a source: what was given and is not used up
  std::string_view text_;           ///< all of the text, or what of it is in the buffer
  std::string name_;
  std::size_t at_ = 0;
  std::size_t lineFeed_ = 0;  ///< the next LF at or behind at_, so that a text without any is not searched every time
  std::size_t line_ = 0;
  std::optional<bool> returns_;  ///< whether there is any CR in text_; nothing: not looked yet
  std::size_t repeats_ = 0;
  bool orderMark_ = false;
  std::size_t blanksInFront_ = 0, comments_ = 0;  ///< lines
  std::size_t firstPadded_ = 0;                   ///< the first line that ended in 0x1A or NUL bytes; 0: none
  std::string_view current_;
  unsigned sum_ = 0;
  std::uint8_t bytes_[260] = {};
};

}  // namespace imprimo
