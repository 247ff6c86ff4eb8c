// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/record_lines.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/hex_digits.h"
#include "core/image/sixteen_digits.h"

namespace imprimo {
namespace {

constexpr std::size_t kPiece = 256 << 10;
/// No record is longer; a file with such a line is none of records.
constexpr std::size_t kLongestLine = 64 << 10;
constexpr std::size_t kMostRemarks = 20;
constexpr std::string_view kOrderMark = "\xEF\xBB\xBF";

}  // namespace

bool RecordLines::refill() {
  if (!source_) return false;
  const std::size_t left = text_.size() - at_;
  if (left > kLongestLine) {
    ++line_;
    fail("this line is longer than any record");
  }
  if (!buffer_) buffer_ = std::make_unique_for_overwrite<char[]>(kLongestLine + kPiece);
  if (left > 0) std::memmove(buffer_.get(), text_.data() + at_, left);
  const std::size_t got = source_({buffer_.get() + left, kPiece});
  text_ = {buffer_.get(), left + got};
  at_ = 0;
  lineFeed_ = 0;
  returns_.reset();
  if (got == 0) source_ = nullptr;
  return got != 0;
}

/// Where the line that begins at at_ ends; the text's size when it has no end.
std::size_t RecordLines::lineEnd() {
  if (lineFeed_ < at_) lineFeed_ = at_;
  if (lineFeed_ < text_.size() && text_[lineFeed_] != '\n') {
    const void* found = std::memchr(text_.data() + lineFeed_, '\n', text_.size() - lineFeed_);
    lineFeed_ =
        found == nullptr ? text_.size() : static_cast<std::size_t>(static_cast<const char*>(found) - text_.data());
  }
  if (!returns_) returns_ = text_.find('\r') != std::string_view::npos;
  if (!*returns_) return lineFeed_;
  const void* found = std::memchr(text_.data() + at_, '\r', lineFeed_ - at_);
  return found == nullptr ? lineFeed_ : static_cast<std::size_t>(static_cast<const char*>(found) - text_.data());
}

bool RecordLines::next() {
  if (at_ >= text_.size() && !refill()) return false;
  std::size_t end = lineEnd();
  // At a piece's end the line may go on, and an LF may follow a CR.
  while (end + 1 >= text_.size() && source_) {
    refill();
    end = lineEnd();
  }
  ++line_;
  current_ = text_.substr(at_, end - at_);
  if (!current_.empty() && static_cast<unsigned char>(current_.back()) <= ' ') trim();
  if (line_ == 1 && current_.starts_with(kOrderMark)) {
    current_.remove_prefix(kOrderMark.size());
    orderMark_ = true;
  }
  at_ = end + (text_.substr(std::min(end, text_.size())).starts_with("\r\n") ? 2 : 1);
  at_ = std::min(at_, text_.size());
  return true;
}

/// Takes blanks off the end, and what old tools fill a file's last block with.
void RecordLines::trim() {
  while (!current_.empty()) {
    const char last = current_.back();
    if (last == '\0' || last == '\x1A') {
      if (firstPadded_ == 0) firstPadded_ = line_;
    } else if (last != ' ' && last != '\t') {
      return;
    }
    current_.remove_suffix(1);
  }
}

bool RecordLines::isComment() const {
  if (!current_.starts_with(';') && !current_.starts_with('#') && !current_.starts_with("//")) return false;
  // A colon that became something else leaves a line of digits.
  return current_.size() < 10 ||
         !std::all_of(current_.begin() + 1, current_.end(), [](char c) { return digitValue(c) >= 0; });
}

bool RecordLines::nextRecord() {
  while (next()) {
    if (current_.empty()) continue;
    if (current_[0] > '/' && current_[0] != ';') return true;
    if (current_[0] == ' ' || current_[0] == '\t') {
      ++blanksInFront_;
      current_.remove_prefix(std::min(current_.find_first_not_of(" \t"), current_.size()));
    }
    if (!isComment()) return true;
    ++comments_;
  }
  return false;
}

void RecordLines::remarkOn(RecordFile& file) const {
  if (orderMark_) file.remarks.push_back("begins with a byte order mark, which was passed over");
  if (blanksInFront_ > 0)
    file.remarks.push_back(fmt::format("{} with blanks in front", countText(blanksInFront_, "line")));
  if (comments_ > 0) file.remarks.push_back(fmt::format("{} passed over", countText(comments_, "comment line")));
  if (firstPadded_ != 0)
    file.remarks.push_back(fmt::format("0x1A or NUL bytes at the end (line {}) were passed over", firstPadded_));
}

void RecordLines::fail(const std::string& what, const std::string& remedy) const {
  throw Error(ErrorKind::BadFile, fmt::format("{}: line {}: {}", name_, line_, what), remedy);
}

void RecordLines::failDigits(std::size_t first) const {
  for (std::size_t i = first; i < current_.size(); ++i) {
    if (digitValue(current_[i]) < 0) fail(fmt::format("column {}: not a hexadecimal digit", i + 1));
  }
  fail("a record has at most 260 bytes");
}

ByteSpan RecordLines::digits(std::size_t first) {
  // Told here and not where lines are gone through, which is also done to see whether a binary file has any.
  if (firstPadded_ != 0 && firstPadded_ != line_)
    fail(fmt::format("there is more after the 0x1A or NUL bytes at the end of line {}", firstPadded_),
         "Two files may have been joined: cut it there.");
  const std::size_t length = current_.size() - first;
  if (length % 2 != 0) fail("odd number of digits");
  if (length / 2 > sizeof bytes_) failDigits(first);
  const char* from = current_.data() + first;
  int wrong = 0;  // its sign says whether any digit was none
  std::size_t i = 0;
  sum_ = 0;
#ifdef __SSE2__
  for (; i + 8 <= length / 2; i += 8) wrong |= sixteenDigits(from + 2 * i, bytes_ + i, sum_) ? 0 : -1;
#endif
  for (; i < length / 2; ++i) {
    const int high = digitValue(from[2 * i]), low = digitValue(from[2 * i + 1]);
    wrong |= high | low;
    bytes_[i] = static_cast<std::uint8_t>(high * 16 + low);
    sum_ += bytes_[i];
  }
  if (wrong < 0) failDigits(first);
  return {bytes_, length / 2};
}

void RecordLines::put(RecordFile& file, std::uint64_t address, ByteSpan data) {
  if (file.image.extend(address, data)) return;  // most files rise
  for (const MemoryImage::Segment& s : file.image.segmentsIn({address, address + data.size()})) {
    for (std::size_t i = 0; i < s.bytes.size(); ++i) {
      const std::uint8_t now = data[s.begin - address + i];
      if (s.bytes[i] == now) continue;
      fail(fmt::format("{} was given {} before and is given {} here", hexAddress(s.begin + i), hexByte(s.bytes[i]),
                       hexByte(now)));
    }
    if (++repeats_ < kMostRemarks) {
      file.remarks.push_back(
          fmt::format("line {}: {} was given before, with the same bytes", line_, rangeText(s.range())));
    } else if (repeats_ == kMostRemarks) {
      file.remarks.push_back("and more lines that give what was given before, with the same bytes");
    }
  }
  file.image.write(address, data);
}

}  // namespace imprimo
