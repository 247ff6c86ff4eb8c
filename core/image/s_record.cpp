// SPDX-License-Identifier: GPL-3.0-or-later
//
// record  = "S" type length address data checksum       two hexadecimal digits a byte
// length  = bytes behind it: address, data and checksum
// type    = 0 header (address 0000) | 1, 2, 3 data with 2, 3, 4 address bytes | 5, 6 how many data records there were,
// in
//           2, 3 address bytes | 7, 8, 9 end, with an entry address of 4, 3, 2 bytes
// checksum: length, address and data add up with it to 0xFF modulo 256
#include "core/image/s_record.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/hex_digits.h"
#include "core/image/record_lines.h"

namespace imprimo {
namespace {

constexpr int kAddressBytes[] = {2, 2, 3, 4, 0, 2, 3, 4, 3, 2};

class Reader : RecordLines {
 public:
  using RecordLines::RecordLines;

  SRecordFile read() {
    while (next()) {
      if (current().empty()) continue;
      if (ended_) fail("there is more after the end record", "Cut the file behind its end record (S7, S8 or S9).");
      record();
    }
    if (!ended_) fail("the end record (S7, S8 or S9) is missing", "The file was probably cut short: copy it again.");
    return std::move(file_);
  }

 private:
  void record() {
    if (current()[0] != 'S' || current().size() < 2) fail("a record starts with 'S' and its type");
    if (current()[1] < '0' || current()[1] > '9' || current()[1] == '4')
      fail(fmt::format("unknown record type S{}", current()[1]));
    if (current().size() % 2 != 0) fail("odd number of digits");
    const int type = current()[1] - '0';
    std::size_t count = 0;
    unsigned sum = 0;
    for (std::size_t i = 2; i < current().size(); i += 2) {
      const int high = digitValue(current()[i]), low = digitValue(current()[i + 1]);
      if (high < 0 || low < 0) fail(fmt::format("column {}: not a hexadecimal digit", i + (high < 0 ? 1 : 2)));
      if (count == sizeof bytes_) fail("a record has at most 256 bytes");
      bytes_[count++] = static_cast<std::uint8_t>(high << 4 | low);
      sum += bytes_[count - 1];
    }
    const auto addressBytes = static_cast<std::size_t>(kAddressBytes[type]);
    if (count < 2 + addressBytes)
      fail(fmt::format("a record of type S{} has at least {} bytes", type, 2 + addressBytes));
    if (bytes_[0] != count - 1) fail(fmt::format("the record says {} bytes and has {}", bytes_[0], count - 1));
    if ((sum & 0xFF) != 0xFF) {
      const auto expected = static_cast<std::uint8_t>(0xFF - (sum - bytes_[count - 1]));
      fail(fmt::format("checksum is {:02X}, should be {:02X}", bytes_[count - 1], expected),
           "The file is damaged or was edited by hand: make it again.");
    }
    std::uint32_t address = 0;
    for (std::size_t i = 0; i < addressBytes; ++i) address = address << 8 | bytes_[1 + i];
    take(type, address, ByteSpan(bytes_, count - 1).subspan(1 + addressBytes));
  }

  void take(int type, std::uint32_t address, ByteSpan data) {
    switch (type) {
      case 0:
        for (const std::uint8_t c : data) {
          if (c >= 0x20 && c < 0x7F) file_.header += static_cast<char>(c);
        }
        return;
      case 1:
      case 2:
      case 3:
        ++records_;
        return put(type, address, data);
      case 5:
      case 6:
        if (address != (records_ & (type == 5 ? 0xFFFFu : 0xFFFFFFu))) {
          fail(fmt::format("the file says it has {} data records here and has {}", address, records_),
               "Records are missing: copy the file again.");
        }
        return;
      default:
        ended_ = true;
        file_.entry = address;
    }
  }

  void put(int type, std::uint64_t address, ByteSpan data) {
    if (data.empty()) return;
    const std::uint64_t end = 1ull << (8 * kAddressBytes[type]);
    if (address + data.size() > end)
      fail(fmt::format("the record runs past the end of its {}-bit addresses", 8 * kAddressBytes[type]));
    RecordLines::put(file_.image, address, data);
  }

  std::uint8_t bytes_[256] = {};
  std::uint32_t records_ = 0;
  bool ended_ = false;
  SRecordFile file_;
};

void appendRecord(std::string& out, int type, int addressBytes, std::uint32_t address, ByteSpan data) {
  out += 'S';
  out += static_cast<char>('0' + type);
  auto sum = static_cast<unsigned>(static_cast<std::size_t>(addressBytes) + data.size() + 1);
  appendHex(out, static_cast<std::uint8_t>(sum));
  for (int i = addressBytes - 1; i >= 0; --i) {
    const auto byte = static_cast<std::uint8_t>(address >> (8 * i));
    appendHex(out, byte);
    sum += byte;
  }
  for (const std::uint8_t byte : data) {
    appendHex(out, byte);
    sum += byte;
  }
  appendHex(out, static_cast<std::uint8_t>(~sum));
  out += '\n';
}

int addressBytesFor(std::uint64_t last) {
  return last <= 0xFFFF ? 2 : last <= 0xFFFFFF ? 3 : 4;
}

}  // namespace

SRecordFile readSRecords(std::string_view text, const std::string& name) {
  return Reader(text, name).read();
}

std::string writeSRecords(const MemoryImage& image, const SRecordOptions& options) {
  const std::uint64_t last = std::max<std::uint64_t>(image.empty() ? 0 : image.extent().end - 1, options.entry);
  const int width = options.addressBytes.value_or(addressBytesFor(last));
  if (width < 2 || width > 4 || last >> (8 * width) != 0) {
    throw Error(ErrorKind::Usage, fmt::format("{} does not fit into {}-bit addresses", hexAddress(last), 8 * width),
                "S-records reach 4 GiB with 32-bit addresses (S3).");
  }
  if (options.recordLength < 1 || options.recordLength > 250) {
    throw Error(ErrorKind::Usage, fmt::format("a record of {} data bytes", options.recordLength),
                "1 to 250 are possible.");
  }
  std::string out;
  out.reserve(image.byteCount() * 3);
  const std::string header = options.header.substr(0, 60);
  appendRecord(out, 0, 2, 0, ByteSpan(reinterpret_cast<const std::uint8_t*>(header.data()), header.size()));
  for (const MemoryImage::Segment& segment : image.segments()) {
    for (std::uint64_t at = segment.begin; at < segment.range().end;) {
      const std::uint64_t end = std::min(segment.range().end, (at / options.recordLength + 1) * options.recordLength);
      appendRecord(out, width - 1, width, static_cast<std::uint32_t>(at),
                   segment.bytes.subspan(at - segment.begin, end - at));
      at = end;
    }
  }
  appendRecord(out, 11 - width, width, options.entry, {});
  return out;
}

}  // namespace imprimo
