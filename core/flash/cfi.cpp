// SPDX-License-Identifier: GPL-3.0-or-later
//
// JESD68.01, tables 1 to 3; the boot block flag of command set 2 stands in its primary extended table.
#include "core/flash/cfi.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.h"

namespace imprimo::flash {
namespace {

constexpr std::size_t kSignature = 0x10, kCommandSet = 0x13, kExtended = 0x15, kWordTime = 0x1F, kBufferTime = 0x20,
                      kEraseTime = 0x21, kWordMost = 0x23, kBufferMost = 0x24, kEraseMost = 0x25, kSize = 0x27,
                      kBuffer = 0x2A, kRegions = 0x2C, kFirstRegion = 0x2D;
constexpr std::size_t kBootFlag = 0x0F;
constexpr std::uint8_t kTopBoot = 3;

struct Blocks {
  std::uint64_t count, size;
};

class Reader {
 public:
  Reader(ByteSpan space, const std::string& name) : space_(space), name_(name) {}

  Cfi read() {
    if (space_.size() < kFirstRegion || byte(kSignature) != 'Q' || byte(kSignature + 1) != 'R' ||
        byte(kSignature + 2) != 'Y')
      fail("no query table answers");
    cfi_.commandSet = word(kCommandSet);
    if (cfi_.commandSet != 1 && cfi_.commandSet != 2)
      fail(fmt::format("it has command set {}, of which this version knows 1 and 2", cfi_.commandSet));
    times();
    size();
    blocks();
    memory::checkGeometry(cfi_.geometry, name_);
    return std::move(cfi_);
  }

 private:
  [[noreturn]] void fail(const std::string& what) const {
    throw Error(ErrorKind::UnknownFlash, fmt::format("{}: {}", name_, what),
                "Check the route's address and data lines, ce, oe and we, and the flash's supply.");
  }
  std::uint8_t byte(std::size_t at) const { return at < space_.size() ? space_[at] : 0; }
  unsigned word(std::size_t at) const { return byte(at) | static_cast<unsigned>(byte(at + 1)) << 8; }
  /// A time as a power of two of a unit, and its longest as another one of that.
  double time(std::size_t at, double unit) const { return byte(at) == 0 ? 0 : std::ldexp(unit, byte(at)); }

  void times() {
    for (const std::size_t at : {kWordTime, kBufferTime, kEraseTime, kWordMost, kBufferMost, kEraseMost}) {
      constexpr std::uint8_t kMost = 30;
      if (byte(at) > kMost) fail(fmt::format("its query table has no time at 0x{:02X}", at));
    }
    constexpr double kMicrosecond = 1e-6, kMillisecond = 1e-3, kAssumedWord = 64e-6, kAssumedErase = 1;
    const double word = time(kWordTime, kMicrosecond);
    cfi_.wordTypical = word > 0 ? word : kAssumedWord;
    cfi_.wordLongest = std::ldexp(cfi_.wordTypical, byte(kWordMost));
    const double buffer = time(kBufferTime, kMicrosecond);
    const unsigned exponent = this->word(kBuffer);
    if (buffer > 0 && exponent > 0 && exponent < 16) {
      cfi_.bufferBytes = 1u << exponent;
      cfi_.bufferTypical = buffer;
      cfi_.bufferLongest = std::ldexp(buffer, byte(kBufferMost));
    }
    const double erase = time(kEraseTime, kMillisecond);
    eraseTypical_ = erase > 0 ? erase : kAssumedErase;
    eraseLongest_ = std::ldexp(eraseTypical_, std::max<int>(byte(kEraseMost), 1));
    cfi_.geometry.timesAssumed = word == 0 || erase == 0;
  }

  void size() {
    constexpr std::uint8_t kMost = 32;
    if (byte(kSize) == 0 || byte(kSize) > kMost) fail("its query table has no size");
    cfi_.geometry.size = 1ull << byte(kSize);
    constexpr std::uint32_t kPage = 32;
    cfi_.geometry.page = cfi_.bufferBytes > 0 ? cfi_.bufferBytes : kPage;
    const double words = cfi_.geometry.page / 2.0;
    cfi_.geometry.pageTypical = cfi_.bufferBytes > 0 ? cfi_.bufferTypical : words * cfi_.wordTypical;
    cfi_.geometry.pageLongest = cfi_.bufferBytes > 0 ? cfi_.bufferLongest : words * cfi_.wordLongest;
  }

  void blocks() {
    std::vector<Blocks> all;
    std::uint64_t sum = 0;
    for (std::size_t i = 0; i < byte(kRegions); ++i) {
      const std::size_t at = kFirstRegion + 4 * i;
      if (at + 4 > space_.size()) fail("its query table has too many regions");
      const unsigned units = word(at + 2);
      const Blocks region{word(at) + 1u, units == 0 ? 128u : 256u * units};
      all.push_back(region);
      sum += region.count * region.size;
    }
    if (sum != cfi_.geometry.size)
      fail(fmt::format("its query table has blocks of {} bytes in all, and a size of {}", sum, cfi_.geometry.size));
    const std::size_t extended = word(kExtended);
    if (cfi_.commandSet == 2 && extended != 0 && byte(extended) == 'P' && byte(extended + kBootFlag) == kTopBoot)
      std::reverse(all.begin(), all.end());
    memory::Geometry& g = cfi_.geometry;
    for (const Blocks& region : all) {
      const auto same = [&](const memory::EraseType& type) { return type.size == region.size; };
      if (std::none_of(g.erase.begin(), g.erase.end(), same))
        g.erase.push_back({region.size, eraseTypical_, eraseLongest_});
    }
    constexpr std::size_t kMostSizes = 8;  // no part has as many, and a set of them is a number's bits
    if (g.erase.size() > kMostSizes) fail(fmt::format("its query table has blocks of {} sizes", g.erase.size()));
    std::sort(g.erase.begin(), g.erase.end(), [](const auto& a, const auto& b) { return a.size < b.size; });
    std::uint64_t begin = 0;
    for (const Blocks& region : all) {
      const auto same = [&](const memory::EraseType& type) { return type.size == region.size; };
      const auto type = std::find_if(g.erase.begin(), g.erase.end(), same) - g.erase.begin();
      if (g.erase.size() > 1) g.regions.push_back({begin, 1u << type});
      begin += region.count * region.size;
    }
  }

  ByteSpan space_;
  const std::string& name_;
  double eraseTypical_ = 0, eraseLongest_ = 0;
  Cfi cfi_;
};

}  // namespace

Cfi parseCfi(ByteSpan space, const std::string& name) {
  return Reader(space, name).read();
}

}  // namespace imprimo::flash
