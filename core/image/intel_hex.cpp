// SPDX-License-Identifier: GPL-3.0-or-later
//
// record  = ":" length address type data checksum        two hexadecimal digits a byte
// length  = data bytes in the record; address = 16 bits, high byte first
// type    = 00 data | 01 end | 02 segment base (x16) | 03 start CS:IP | 04 upper 16 address bits | 05 start EIP
// checksum: all bytes of the record, itself included, add up to 0 modulo 256
#include "core/image/intel_hex.h"

#include <fmt/format.h>

#include <numeric>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/hex_digits.h"
#include "core/image/record_lines.h"

namespace imprimo {
namespace {

class Reader : RecordLines {
 public:
  using RecordLines::RecordLines;

  MemoryImage read() {
    while (next()) {
      if (current().empty()) continue;
      if (ended_) fail("there is more after the end record", "Cut the file after its end record (:00000001FF).");
      record();
    }
    if (!ended_) fail("the end record (:00000001FF) is missing", "The file was probably cut short: copy it again.");
    return std::move(image_);
  }

 private:
  void record() {
    if (current()[0] != ':') fail("a record starts with ':'");
    if (current().size() % 2 == 0) fail("odd number of digits");
    bytes_.clear();
    for (std::size_t i = 1; i < current().size(); i += 2) {
      const int high = digitValue(current()[i]);
      const int low = digitValue(current()[i + 1]);
      if (high < 0 || low < 0) {
        fail(fmt::format("column {}: not a hexadecimal digit", i + (high < 0 ? 1 : 2)));
      }
      bytes_.push_back(static_cast<std::uint8_t>(high << 4 | low));
    }
    if (bytes_.size() < 5) fail("a record has at least five bytes");
    if (bytes_.size() != bytes_[0] + 5u) {
      fail(fmt::format("the record says {} data bytes and has {}", bytes_[0], static_cast<int>(bytes_.size()) - 5));
    }
    const unsigned sum = std::accumulate(bytes_.begin(), bytes_.end() - 1, 0u);
    const auto expected = static_cast<std::uint8_t>(0x100 - (sum & 0xFF));
    if (bytes_.back() != expected) {
      fail(fmt::format("checksum is {:02X}, should be {:02X}", bytes_.back(), expected),
           "The file is damaged or was edited by hand: make it again.");
    }
    const ByteSpan data = ByteSpan(bytes_).subspan(4, bytes_[0]);
    switch (bytes_[3]) {
      case 0x00:
        return dataRecord(static_cast<std::uint32_t>(bytes_[1] << 8 | bytes_[2]), data);
      case 0x01:
        ended_ = true;
        return needLength(data, 0);
      case 0x02:
        needLength(data, 2);
        base_ = static_cast<std::uint64_t>(data[0] << 8 | data[1]) << 4;
        segmented_ = true;
        return;
      case 0x04:
        needLength(data, 2);
        base_ = static_cast<std::uint64_t>(data[0] << 8 | data[1]) << 16;
        segmented_ = false;
        return;
      case 0x03:
      case 0x05:
        return needLength(data, 4);
      default:
        fail(fmt::format("unknown record type {:02X}", bytes_[3]));
    }
  }

  void needLength(ByteSpan data, std::size_t length) const {
    if (data.size() != length) fail(fmt::format("a record of type {:02X} has {} data bytes", bytes_[3], length));
  }

  void dataRecord(std::uint32_t offset, ByteSpan data) {
    // Within a segment offsets wrap at 64 KiB; with an upper address they must not pass 4 GiB.
    const std::size_t first = segmented_ ? std::min<std::size_t>(data.size(), 0x10000 - offset) : data.size();
    put(base_ + offset, data.first(first));
    put(base_, data.subspan(first));
  }

  void put(std::uint64_t address, ByteSpan data) {
    if (data.empty()) return;
    if (address + data.size() > 0x1'0000'0000ull) fail("the record runs past the end of the 32-bit addresses");
    RecordLines::put(image_, address, data);
  }

  Bytes bytes_;
  std::uint64_t base_ = 0;
  bool segmented_ = false;
  bool ended_ = false;
  MemoryImage image_;
};

void appendRecord(std::string& out, std::uint8_t type, std::uint16_t address, ByteSpan data) {
  auto sum = static_cast<std::uint8_t>(data.size() + (address >> 8) + address + type);
  out += ':';
  const std::uint8_t head[] = {static_cast<std::uint8_t>(data.size()), static_cast<std::uint8_t>(address >> 8),
                               static_cast<std::uint8_t>(address), type};
  for (const std::uint8_t byte : head) appendHex(out, byte);
  for (const std::uint8_t byte : data) {
    appendHex(out, byte);
    sum = static_cast<std::uint8_t>(sum + byte);
  }
  appendHex(out, static_cast<std::uint8_t>(0x100 - sum));
  out += '\n';
}

}  // namespace

MemoryImage readIntelHex(std::string_view text, const std::string& name) {
  return Reader(text, name).read();
}

std::string writeIntelHex(const MemoryImage& image) {
  constexpr std::uint64_t kRecord = 16;
  if (image.extent().end > 0x1'0000'0000ull) {
    throw Error(ErrorKind::Usage, "Intel HEX reaches 4 GiB, the data goes to " + hexAddress(image.extent().end - 1));
  }
  std::string out;
  std::uint64_t upper = 0;
  for (const MemoryImage::Segment& segment : image.segments()) {
    for (std::uint64_t at = segment.begin; at < segment.range().end;) {
      if (at >> 16 != upper) {
        upper = at >> 16;
        const std::uint8_t high[] = {static_cast<std::uint8_t>(upper >> 8), static_cast<std::uint8_t>(upper)};
        appendRecord(out, 0x04, 0, high);
      }
      const std::uint64_t end = std::min(segment.range().end, (at / kRecord + 1) * kRecord);
      appendRecord(out, 0x00, static_cast<std::uint16_t>(at), segment.bytes.subspan(at - segment.begin, end - at));
      at = end;
    }
  }
  appendRecord(out, 0x01, 0, {});
  return out;
}

}  // namespace imprimo
