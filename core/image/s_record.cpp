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

class SRecordReader {
 public:
  SRecordReader(RecordLines& lines, std::uint64_t expectedBytes) : lines_(lines) { file_.image.expect(expectedBytes); }

  RecordFile read() {
    while (lines_.nextRecord()) {
      if (ended_)
        lines_.fail("there is more after the end record", "Cut the file after its end record (S7, S8 or S9).");
      record();
    }
    if (!ended_)
      lines_.fail("the end record (S7, S8 or S9) is missing", "The file was probably cut short: copy it again.");
    if (small_ > 0) file_.remarks.push_back(fmt::format("{} with a small s", countText(small_, "record")));
    lines_.remarkOn(file_);
    return std::move(file_);
  }

 private:
  void record() {
    const std::string_view line = lines_.current();
    if ((line[0] != 'S' && line[0] != 's') || line.size() < 2) lines_.fail("a record starts with 'S' and its type");
    small_ += line[0] == 's' ? 1 : 0;
    if (line[1] < '0' || line[1] > '9' || line[1] == '4') lines_.fail(fmt::format("unknown record type S{}", line[1]));
    const int type = line[1] - '0';
    const ByteSpan bytes = lines_.digits(2);
    const auto addressBytes = static_cast<std::size_t>(kAddressBytes[type]);
    if (bytes.size() < 2 + addressBytes)
      lines_.fail(fmt::format("a record of type S{} has at least {} bytes", type, 2 + addressBytes));
    if (bytes[0] != bytes.size() - 1)
      lines_.fail(fmt::format("the record says {} bytes and has {}", bytes[0], bytes.size() - 1));
    const unsigned sum = lines_.sum();
    if ((sum & 0xFF) != 0xFF) {
      lines_.fail(
          fmt::format("checksum is {:02X}, should be {:02X}", bytes.back(), (0xFF - (sum - bytes.back())) & 0xFF),
          "The file is damaged or was edited by hand: make it again.");
    }
    std::uint32_t address = 0;
    for (std::size_t i = 0; i < addressBytes; ++i) address = address << 8 | bytes[1 + i];
    take(type, address, bytes.subspan(1 + addressBytes, bytes.size() - addressBytes - 2));
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
          lines_.fail(fmt::format("the file says it has {} data records here and has {}", address, records_),
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
      lines_.fail(fmt::format("the record runs past the end of its {}-bit addresses", 8 * kAddressBytes[type]));
    lines_.put(file_, address, data);
  }

  RecordLines& lines_;
  std::uint32_t records_ = 0;
  std::size_t small_ = 0;
  bool ended_ = false;
  RecordFile file_;
};

void appendRecord(std::string& out, int type, int addressBytes, std::uint32_t address, ByteSpan data) {
  out += 'S';
  out += static_cast<char>('0' + type);
  const auto width = static_cast<std::size_t>(addressBytes);
  std::uint8_t head[5] = {static_cast<std::uint8_t>(width + data.size() + 1)};
  for (std::size_t i = 0; i < width; ++i) head[1 + i] = static_cast<std::uint8_t>(address >> (8 * (width - 1 - i)));
  const unsigned sum = appendHex(out, ByteSpan(head, 1 + width)) + appendHex(out, data);
  appendHex(out, static_cast<std::uint8_t>(~sum));
  out += '\n';
}

int addressBytesFor(std::uint64_t last) {
  return last <= 0xFFFF ? 2 : last <= 0xFFFFFF ? 3 : 4;
}

}  // namespace

RecordFile readSRecords(RecordLines& lines, std::uint64_t expectedBytes) {
  return SRecordReader(lines, expectedBytes).read();
}

RecordFile readSRecords(std::string_view text, const std::string& name) {
  RecordLines lines(text, name);
  return readSRecords(lines);
}

void writeSRecords(const MemoryImage& image, const SRecordOptions& options, const ByteSink& sink) {
  const std::uint64_t end = std::max(image.extent().end, options.filling ? options.filling->range.end : 0);
  const std::uint64_t last = std::max<std::uint64_t>(end == 0 ? 0 : end - 1, options.entry);
  const int width = options.addressBytes.value_or(addressBytesFor(last));
  if (width < 2 || width > 4 || last >> (8 * width) != 0) {
    throw Error(ErrorKind::Usage, fmt::format("{} does not fit into {}-bit addresses", hexAddress(last), 8 * width),
                "S-records reach 4 GiB with 32-bit addresses (S3).");
  }
  if (options.recordLength < 1 || options.recordLength > 250) {
    throw Error(ErrorKind::Usage, fmt::format("a record of {} data bytes", options.recordLength),
                "1 to 250 are possible.");
  }
  TextSink out(sink);
  const std::string header = options.header.substr(0, 60);
  appendRecord(out.text(), 0, 2, 0, ByteSpan(reinterpret_cast<const std::uint8_t*>(header.data()), header.size()));
  forEachRow(image, options.recordLength, options.filling, [&](std::uint64_t at, ByteSpan bytes) {
    appendRecord(out.text(), width - 1, width, static_cast<std::uint32_t>(at), bytes);
    out.flushFull();
  });
  appendRecord(out.text(), 11 - width, width, options.entry, {});
  out.flush();
}

std::string writeSRecords(const MemoryImage& image, const SRecordOptions& options) {
  return textOf([&](const ByteSink& sink) { writeSRecords(image, options, sink); });
}

}  // namespace imprimo
