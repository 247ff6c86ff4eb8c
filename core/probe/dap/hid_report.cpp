// SPDX-License-Identifier: GPL-3.0-or-later
//
// Items of a report descriptor (HID 1.11, 6.2.2):
//   short   prefix, data with the low byte first. Prefix: bits 1-0 bytes of data (3 is 4), bits 3-2 type, bits 7-4 tag
//   long    FE, bytes of data, tag, data
// Main items (type 0): tag 9 is Output. Global ones (type 1): 7 Report Size in bits, 8 Report ID, 9 Report Count, 10
// Push, 11 Pop.
#include "core/probe/dap/hid_report.h"

#include <algorithm>
#include <map>
#include <vector>

namespace imprimo::probe {
namespace {

constexpr std::uint8_t kLongItem = 0xFE;
constexpr std::size_t kMostBits = 4096ull * 8;

struct Globals {
  std::uint32_t size = 0, count = 0, id = 0;
};

}  // namespace

std::size_t hidOutputReport(ByteSpan descriptor) {
  Globals now;
  std::vector<Globals> pushed;
  std::map<std::uint32_t, std::size_t> bits;  // by the report's number
  for (std::size_t at = 0; at < descriptor.size();) {
    const std::uint8_t prefix = descriptor[at++];
    if (prefix == kLongItem) {
      if (at >= descriptor.size()) return 0;
      at += 2u + descriptor[at];
      continue;
    }
    const std::size_t length = (prefix & 3) == 3 ? 4 : prefix & 3;
    if (length > descriptor.size() - at) return 0;
    std::uint32_t value = 0;
    for (std::size_t i = 0; i < length; ++i) value |= static_cast<std::uint32_t>(descriptor[at + i]) << (8 * i);
    at += length;
    switch (prefix & 0xFC) {
      case 0x74:
        now.size = value;
        break;
      case 0x84:
        now.id = value;
        break;
      case 0x94:
        now.count = value;
        break;
      case 0xA4:
        if (pushed.size() < 64) pushed.push_back(now);
        break;
      case 0xB4:
        if (pushed.empty()) return 0;
        now = pushed.back();
        pushed.pop_back();
        break;
      case 0x90: {
        if (now.size > kMostBits || now.count > kMostBits) return 0;
        std::size_t& sum = bits[now.id];
        sum += std::size_t{now.size} * now.count;
        if (sum > kMostBits) return 0;
        break;
      }
      default:
        break;  // says what the bits mean
    }
  }
  std::size_t most = 0;
  for (const auto& [id, count] : bits) most = std::max(most, count);
  return (most + 7) / 8;
}

}  // namespace imprimo::probe
