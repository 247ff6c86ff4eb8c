// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/record_lines.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo {

bool RecordLines::next() {
  if (at_ >= text_.size()) return false;
  ++line_;
  const std::size_t end = std::min(text_.find_first_of("\r\n", at_), text_.size());
  current_ = text_.substr(at_, end - at_);
  while (!current_.empty() && (current_.back() == ' ' || current_.back() == '\t')) current_.remove_suffix(1);
  at_ = end + (text_.substr(end).starts_with("\r\n") ? 2 : 1);
  return true;
}

void RecordLines::fail(const std::string& what, std::string remedy) const {
  throw Error(ErrorKind::BadFile, fmt::format("{}: line {}: {}", name_, line_, what), std::move(remedy));
}

void RecordLines::put(MemoryImage& image, std::uint64_t address, ByteSpan data) const {
  for (const MemoryImage::Segment& s : image.segmentsIn({address, address + data.size()})) {
    for (std::size_t i = 0; i < s.bytes.size(); ++i) {
      const std::uint8_t now = data[s.begin - address + i];
      if (s.bytes[i] == now) continue;
      fail(fmt::format("{} was given {} before and is given {} here", hexAddress(s.begin + i), hexByte(s.bytes[i]),
                       hexByte(now)));
    }
  }
  image.write(address, data);
}

}  // namespace imprimo
