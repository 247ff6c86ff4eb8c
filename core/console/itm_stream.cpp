// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/itm_stream.h"

namespace imprimo::console {
namespace {

constexpr std::uint8_t kOverflow = 0x70, kGlobal1 = 0x94, kGlobal2 = 0xB4, kHardware = 0x04, kContinues = 0x80;
/// A synchronization packet: at least 47 bits of 0, then one of 1.
constexpr unsigned kZeros = 5;

}  // namespace

void ItmStream::begin(std::uint8_t header, News& news) {
  header_ = header;
  if (header == 0) {
    ++zeros_;
    return;
  }
  const unsigned zeros = zeros_;
  zeros_ = 0;
  if (zeros > 0) {
    if (header == kContinues && zeros >= kZeros) return;
    news.strange += zeros;
  }
  if (const unsigned size = header & 3; size != 0) {
    want_ = size == 3 ? 4 : size;
    have_ = 0;
    value_ = 0;
    return;
  }
  if (header == kOverflow) {
    ++news.overflows;
  } else if (header == kGlobal1 || header == kGlobal2) {
    more_ = header == kGlobal1 ? 4 : 6;
  } else if ((header & 0x0F) == 0) {
    // A local time stamp: of one byte, or with up to four behind it.
    if (header >= 0xC0) {
      more_ = 4;
    } else if (header >= kContinues) {
      ++news.strange;
    }
  } else if ((header & 0x0B) == 0x08) {
    more_ = (header & kContinues) != 0 ? 4 : 0;  // an extension
  } else {
    ++news.strange;
  }
}

ItmStream::News ItmStream::add(ByteSpan bytes) {
  News news;
  for (const std::uint8_t byte : bytes) {
    if (more_ > 0) {
      more_ = (byte & kContinues) != 0 ? more_ - 1 : 0;
    } else if (want_ > 0) {
      value_ |= static_cast<std::uint32_t>(byte) << (8 * have_++);
      if (have_ < want_) continue;
      if ((header_ & kHardware) == 0) news.writes.push_back({static_cast<unsigned>(header_) >> 3, want_, value_});
      want_ = 0;
    } else {
      begin(byte, news);
    }
  }
  return news;
}

}  // namespace imprimo::console
