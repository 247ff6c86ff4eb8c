// SPDX-License-Identifier: GPL-3.0-or-later
//
// Commands used here (the chip maker's published command description of the engine):
//   19 nL nH data   n + 1 bytes to TDI            39 nL nH data   the same, TDO answered byte for byte
//   1B n data       n + 1 bits (up to 8) to TDI   3B n data       the same; the bits stand at the upper end of the
//   answer 4B n data       n + 1 bits (up to 7) to TMS, bit 7 is TDI all the while        6B n data   the same, TDO
//   answered 8E n            n + 1 clocks (up to 8)        8F nL nH        8 (n + 1) clocks 87              what there
//   is to answer goes out at once
#include "core/probe/mpsse/mpsse_packer.h"

#include <algorithm>
#include <iterator>

namespace imprimo::probe {
namespace {

using namespace mpsse;

// Reading bytes that nobody wants is cheaper than another command's header.
constexpr std::size_t kGapWorthReading = 4;

bool wanted(const std::vector<jtag::BitRange>& captures, std::size_t begin, std::size_t end) {
  const auto it = std::lower_bound(captures.begin(), captures.end(), begin,
                                   [](const jtag::BitRange& r, std::size_t at) { return r.end <= at; });
  return it != captures.end() && it->begin < end;
}

}  // namespace

void MpsseChunk::unpack(ByteSpan said, BitVector& bits) const {
  for (const Keep& keep : keeps) {
    if (keep.shift != 0 || keep.count < 8) {
      for (std::size_t i = keep.bit; i < keep.bit + keep.count; ++i) {
        const std::size_t at = i + keep.shift;
        bits.append((said[keep.byte + at / 8] >> (at % 8) & 1) != 0);
      }
      continue;
    }
    for (std::size_t i = keep.bit; i < keep.bit + keep.count;) {
      const std::size_t count = std::min<std::size_t>(keep.bit + keep.count - i, 56);
      std::uint64_t word = 0;
      const std::size_t from = keep.byte + i / 8;
      std::memcpy(&word, said.data() + from, std::min<std::size_t>(8, said.size() - from));
      bits.appendBits(word >> (i % 8), count);
      i += count;
    }
  }
}

MpsseLimits MpsseLimits::of(std::size_t answerRoom, std::uint32_t hz) {
  // Beside the answers of two chunks there is room for the markers' and for what the chip adds to its USB packets.
  return {answerRoom / 2 - std::min<std::size_t>(48, answerRoom / 4), std::max<std::uint64_t>(8, hz / 40)};
}

void MpssePacker::add(const jtag::ScanBatch& batch) {
  for (const auto& item : batch.items()) std::visit([this](const auto& i) { add(i); }, item);
}

void MpssePacker::flush() {
  if (chunk_.commands.empty() && chunk_.wait.count() == 0) return;
  emit_(std::move(chunk_));
  chunk_ = {};
}

void MpssePacker::flushIfFull(std::size_t moreAnswer, std::uint64_t moreClocks) {
  if (chunk_.answer + moreAnswer > limits_.answer || chunk_.commands.size() >= MpsseLimits::kMostCommands ||
      (chunk_.clocks > 0 && moreClocks > clocksLeft()))
    flush();
}

void MpssePacker::tms(std::uint8_t levels, int count, bool tdi, bool captureFirst) {
  flushIfFull(1, static_cast<std::uint64_t>(count));
  if (captureFirst) {
    // Bits come in from above: of `count` of them the first is the lowest.
    chunk_.keeps.push_back({chunk_.answer++, 0, 1, static_cast<std::uint8_t>(8 - count)});
  }
  command(Bytes{captureFirst ? kTmsBoth : kTmsOut, static_cast<std::uint8_t>(count - 1),
                static_cast<std::uint8_t>(levels | (tdi ? 0x80 : 0))});
  chunk_.clocks += static_cast<std::uint64_t>(count);
}

void MpssePacker::keepOf(std::size_t runAt, std::size_t firstBit, std::size_t bitCount, std::uint8_t shift,
                         const std::vector<jtag::BitRange>& captures) {
  auto it = std::lower_bound(captures.begin(), captures.end(), firstBit,
                             [](const jtag::BitRange& r, std::size_t at) { return r.end <= at; });
  for (; it != captures.end() && it->begin < firstBit + bitCount; ++it) {
    const std::size_t begin = std::max(it->begin, firstBit), end = std::min(it->end, firstBit + bitCount);
    chunk_.keeps.push_back({runAt, begin - firstBit, end - begin, shift});
  }
}

void MpssePacker::bytes(const BitVector& bits, std::size_t at, std::size_t count, bool read,
                        const std::vector<jtag::BitRange>& captures) {
  while (count > 0) {
    flushIfFull(read ? std::min<std::size_t>(count, 64) : 0, 8);
    const std::size_t room = read ? limits_.answer - chunk_.answer : MpsseLimits::kMostCommands;
    const std::size_t inTime = std::max<std::uint64_t>(1, clocksLeft() / 8);
    const std::size_t some = std::min({count, room, inTime, std::size_t{65536}});
    command(Bytes{read ? kBytesBoth : kBytesOut, static_cast<std::uint8_t>(some - 1),
                  static_cast<std::uint8_t>((some - 1) >> 8)});
    const std::size_t where = chunk_.commands.size();
    chunk_.commands.resize(where + some);
    bits.readLsbFirst(at, std::span(chunk_.commands).subspan(where, some));
    if (read) {
      keepOf(chunk_.answer, at, some * 8, 0, captures);
      chunk_.answer += some;
    }
    chunk_.clocks += std::uint64_t{some} * 8;
    at += some * 8;
    count -= some;
  }
}

void MpssePacker::shift(const BitVector& bits, jtag::BitRange range, const std::vector<jtag::BitRange>& captures) {
  const std::size_t whole = range.size() / 8;
  // Runs of bytes that are read or not; a short gap between two that are read is read too.
  for (std::size_t byte = 0; byte < whole;) {
    const auto isWanted = [&](std::size_t b) { return wanted(captures, range.begin + b * 8, range.begin + b * 8 + 8); };
    const bool read = isWanted(byte);
    std::size_t end = byte + 1;
    if (read) {
      for (std::size_t gap = 0; end + gap < whole && gap <= kGapWorthReading;) {
        gap = isWanted(end + gap) ? (end += gap + 1, 0) : gap + 1;
      }
    } else {
      // Straight on to the byte in which the next capture begins.
      const auto next = std::lower_bound(captures.begin(), captures.end(), range.begin + byte * 8,
                                         [](const jtag::BitRange& r, std::size_t at) { return r.end <= at; });
      end = next == captures.end() || next->begin >= range.begin + whole * 8 ? whole : (next->begin - range.begin) / 8;
    }
    bytes(bits, range.begin + byte * 8, end - byte, read, captures);
    byte = end;
  }
  const std::size_t left = range.size() % 8, at = range.begin + whole * 8;
  if (left == 0) return;
  flushIfFull(1, left);
  const bool read = wanted(captures, at, range.end);
  if (read) keepOf(chunk_.answer++, at, left, static_cast<std::uint8_t>(8 - left), captures);
  command(Bytes{read ? kBitsBoth : kBitsOut, static_cast<std::uint8_t>(left - 1),
                static_cast<std::uint8_t>(bits.bits(at, left))});
  chunk_.clocks += left;
}

void MpssePacker::add(const jtag::ResetTap&) {
  tms(0b011111, 6, true);
}

void MpssePacker::add(const jtag::Idle& idle) {
  std::uint32_t clocks = idle.clocks;
  while (clocks >= 8) {
    flushIfFull(0, 8);
    const auto inTime = static_cast<std::uint32_t>(std::clamp<std::uint64_t>(clocksLeft() / 8, 1, 65536));
    const std::uint32_t some = std::min(clocks / 8, inTime);
    command(Bytes{kClockBytes, static_cast<std::uint8_t>(some - 1), static_cast<std::uint8_t>((some - 1) >> 8)});
    chunk_.clocks += some * 8;
    clocks -= some * 8;
  }
  if (clocks == 0) return;
  flushIfFull(0, clocks);
  command(Bytes{kClockBits, static_cast<std::uint8_t>(clocks - 1)});
  chunk_.clocks += clocks;
}

void MpssePacker::add(const jtag::Delay& delay) {
  chunk_.wait = delay.time;
  flush();
}

void MpssePacker::add(const jtag::Clocks& clocks) {
  // The first of them brings TMS to its level; as long as it is 0, clocks without data are shorter.
  std::uint32_t left = clocks.count;
  while (left > 0) {
    const int some = static_cast<int>(std::min<std::uint32_t>(left, 7));
    tms(clocks.tms ? 0x7F : 0, some, false);
    left -= static_cast<std::uint32_t>(some);
    if (!clocks.tms) return add(jtag::Idle{left, {}});
  }
}

void MpssePacker::add(const jtag::Scan& scan) {
  // Run-Test/Idle (or Update) to Shift: 1 0 0 or 1 1 0 0; from Pause through Exit2 and Update, from Test-Logic-Reset
  // through Run-Test/Idle. The last bit goes with TMS 1, then Update and Run-Test/Idle: 1 0; Pause: 0;
  // Test-Logic-Reset: 1 1 1 1.
  if (scan.from == jtag::Rest::Pause) tms(0b11, 2, false);
  if (scan.from == jtag::Rest::Reset) tms(0b0, 1, false);
  if (scan.from != jtag::Rest::Shift)
    scan.into == jtag::Register::Instruction ? tms(0b0011, 4, false) : tms(0b001, 3, false);
  const bool stays = scan.until == jtag::Rest::Shift;
  const std::size_t last = stays ? scan.out.size() : scan.out.size() - 1;
  auto pause = scan.waits.begin();
  for (std::size_t at = 0;;) {
    for (; pause != scan.waits.end() && pause->at <= at; ++pause) add(jtag::Delay{pause->time});
    if (at == last) break;
    const std::size_t end = pause != scan.waits.end() ? std::min(pause->at, last) : last;
    shift(scan.out, {at, end}, scan.captures);
    at = end;
  }
  if (stays) return;
  const bool read = wanted(scan.captures, last, last + 1);
  switch (scan.until) {
    case jtag::Rest::Pause:
      return tms(0b01, 2, scan.out[last], read);
    case jtag::Rest::Update:
      return tms(0b011, 2, scan.out[last], read);
    case jtag::Rest::Reset:
      return tms(0b11111, 5, scan.out[last], read);
    default:
      return tms(0b011, 3, scan.out[last], read);
  }
}

}  // namespace imprimo::probe
