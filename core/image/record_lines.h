// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

#include "core/image/memory_image.h"

namespace imprimo {

/// What formats of one record a line have in common. Lines end in LF, CR LF or CR, the last one need not; blanks at a
/// line's end do not count.
class RecordLines {
 public:
  RecordLines(std::string_view text, const std::string& name) : text_(text), name_(name) {}

  /// False behind the last line.
  bool next();
  std::string_view current() const { return current_; }
  /// Throws BadFile "NAME: line N: what".
  [[noreturn]] void fail(const std::string& what, std::string remedy = {}) const;
  /// Puts a record's bytes into the image; fails where another record put different ones.
  void put(MemoryImage& image, std::uint64_t address, ByteSpan data) const;

 private:
  std::string_view text_;
  const std::string& name_;
  std::size_t at_ = 0;
  int line_ = 0;
  std::string_view current_;
};

}  // namespace imprimo
