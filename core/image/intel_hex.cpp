// SPDX-License-Identifier: GPL-3.0-or-later
//
// record  = ":" length address type data checksum        two hexadecimal digits a byte
// length  = data bytes in the record; address = 16 bits, high byte first
// type    = 00 data | 01 end | 02 segment base (x16) | 03 start CS:IP | 04 upper 16 address bits | 05 start EIP
// checksum: all bytes of the record, itself included, add up to 0 modulo 256
#include "core/image/intel_hex.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/hex_digits.h"
#include "core/image/record_lines.h"

namespace imprimo {
namespace {

class HexReader {
 public:
  HexReader(RecordLines& lines, std::uint64_t expectedBytes) : lines_(lines) { file_.image.expect(expectedBytes); }

  RecordFile read() {
    while (lines_.nextRecord()) {
      if (ended_) lines_.fail("there is more after the end record", "Cut the file after its end record (:00000001FF).");
      record();
    }
    if (!ended_)
      lines_.fail("the end record (:00000001FF) is missing", "The file was probably cut short: copy it again.");
    lines_.remarkOn(file_);
    return std::move(file_);
  }

 private:
  void record() {
    if (lines_.current()[0] != ':') lines_.fail("a record starts with ':'");
    const ByteSpan bytes = lines_.digits(1);
    if (bytes.size() < 5) lines_.fail("a record has at least five bytes");
    if (bytes.size() != bytes[0] + 5u) {
      lines_.fail(
          fmt::format("the record says {} data bytes and has {}", bytes[0], static_cast<int>(bytes.size()) - 5));
    }
    const unsigned sum = lines_.sum();
    if ((sum & 0xFF) != 0) {
      lines_.fail(fmt::format("checksum is {:02X}, should be {:02X}", bytes.back(), (bytes.back() - sum) & 0xFF),
                  "The file is damaged or was edited by hand: make it again.");
    }
    take(bytes[3], static_cast<std::uint32_t>(bytes[1] << 8 | bytes[2]), bytes.subspan(4, bytes[0]));
  }

  void take(std::uint8_t type, std::uint32_t offset, ByteSpan data) {
    const auto word = [&](std::size_t i) { return static_cast<std::uint64_t>(data[i] << 8 | data[i + 1]); };
    switch (type) {
      case 0x00:
        return dataRecord(offset, data);
      case 0x01:
        ended_ = true;
        return needLength(type, data, 0);
      case 0x02:
        needLength(type, data, 2);
        base_ = word(0) << 4;
        segmented_ = true;
        return;
      case 0x04:
        needLength(type, data, 2);
        base_ = word(0) << 16;
        segmented_ = false;
        return;
      case 0x03:
        needLength(type, data, 4);
        file_.entry = (word(0) << 4) + word(2);
        return;
      case 0x05:
        needLength(type, data, 4);
        file_.entry = word(0) << 16 | word(2);
        return;
      default:
        lines_.fail(fmt::format("unknown record type {:02X}", type));
    }
  }

  void needLength(std::uint8_t type, ByteSpan data, std::size_t length) const {
    if (data.size() != length) lines_.fail(fmt::format("a record of type {:02X} has {} data bytes", type, length));
  }

  void dataRecord(std::uint32_t offset, ByteSpan data) {
    // Within a segment offsets wrap at 64 KiB; with an upper address they must not pass 4 GiB.
    const std::size_t first = segmented_ ? std::min<std::size_t>(data.size(), 0x10000 - offset) : data.size();
    put(base_ + offset, data.first(first));
    put(base_, data.subspan(first));
  }

  void put(std::uint64_t address, ByteSpan data) {
    if (data.empty()) return;
    if (address + data.size() > 0x1'0000'0000ull) {
      lines_.fail("the record runs past the end of the 32-bit addresses");
    }
    lines_.put(file_, address, data);
  }

  RecordLines& lines_;
  std::uint64_t base_ = 0;
  bool segmented_ = false;
  bool ended_ = false;
  RecordFile file_;
};

void appendRecord(std::string& out, std::uint8_t type, std::uint16_t address, ByteSpan data) {
  out += ':';
  const std::uint8_t head[] = {static_cast<std::uint8_t>(data.size()), static_cast<std::uint8_t>(address >> 8),
                               static_cast<std::uint8_t>(address), type};
  const unsigned sum = appendHex(out, head) + appendHex(out, data);
  appendHex(out, static_cast<std::uint8_t>(0x100 - sum));
  out += '\n';
}

void appendStart(std::string& out, std::uint32_t entry, bool segments) {
  const std::uint32_t value = segments ? (entry & 0xF0000) << 12 | (entry & 0xFFFF) : entry;
  const std::uint8_t bytes[] = {static_cast<std::uint8_t>(value >> 24), static_cast<std::uint8_t>(value >> 16),
                                static_cast<std::uint8_t>(value >> 8), static_cast<std::uint8_t>(value)};
  appendRecord(out, segments ? 0x03 : 0x05, 0, bytes);
}

void checkAddresses(const MemoryImage& image, const HexOptions& options) {
  if (options.addressBits != 16 && options.addressBits != 20 && options.addressBits != 32) {
    throw Error(ErrorKind::Usage, fmt::format("Intel HEX has no {}-bit addresses", options.addressBits),
                "16, 20 and 32 are possible.");
  }
  if (options.recordLength < 1 || options.recordLength > 255) {
    throw Error(ErrorKind::Usage, fmt::format("a record of {} data bytes", options.recordLength),
                "1 to 255 are possible.");
  }
  const std::uint64_t end = std::max(image.extent().end, options.filling ? options.filling->range.end : 0);
  if (end > 1ull << options.addressBits) {
    throw Error(ErrorKind::Usage,
                fmt::format("Intel HEX with {}-bit addresses reaches {}, the data goes to {}", options.addressBits,
                            sizeText(1ull << options.addressBits), hexAddress(end - 1)));
  }
  if (options.entry && options.addressBits == 20 && *options.entry > 0xFFFFF) {
    throw Error(ErrorKind::Usage, fmt::format("the entry {} does not fit 20 bits", hexAddress(*options.entry)));
  }
}

}  // namespace

RecordFile readIntelHex(RecordLines& lines, std::uint64_t expectedBytes) {
  return HexReader(lines, expectedBytes).read();
}

MemoryImage readIntelHex(std::string_view text, const std::string& name) {
  RecordLines lines(text, name);
  return readIntelHex(lines).image;
}

void writeIntelHex(const MemoryImage& image, const HexOptions& options, const ByteSink& sink) {
  checkAddresses(image, options);
  TextSink out(sink);
  std::uint64_t upper = 0;
  const bool segments = options.addressBits == 20;
  forEachRow(image, options.recordLength, options.filling, [&](std::uint64_t at, ByteSpan bytes) {
    // A record's own address has 16 bits: it goes no further than they do.
    while (!bytes.empty()) {
      if (at >> 16 != upper) {
        upper = at >> 16;
        const std::uint64_t word = segments ? upper << 12 : upper;
        const std::uint8_t high[] = {static_cast<std::uint8_t>(word >> 8), static_cast<std::uint8_t>(word)};
        appendRecord(out.text(), segments ? 0x02 : 0x04, 0, high);
      }
      const std::size_t count = std::min<std::size_t>(bytes.size(), 0x10000 - (at & 0xFFFF));
      appendRecord(out.text(), 0x00, static_cast<std::uint16_t>(at), bytes.first(count));
      bytes = bytes.subspan(count);
      at += count;
    }
    out.flushFull();
  });
  if (options.entry && options.addressBits != 16) appendStart(out.text(), *options.entry, segments);
  appendRecord(out.text(), 0x01, 0, {});
  out.flush();
}

std::string writeIntelHex(const MemoryImage& image, const HexOptions& options) {
  return textOf([&](const ByteSink& sink) { writeIntelHex(image, options, sink); });
}

}  // namespace imprimo
