// SPDX-License-Identifier: GPL-3.0-or-later
//
// Requests of DAP_Transfer: bit 0 APnDP, bit 1 RnW, bits 3-2 A[3:2], bit 4 value match, bit 5 match mask.
#include "sim/swd_firmware.h"

#include <bit>

namespace imprimo::sim {
namespace {

constexpr std::uint8_t kAp = 1, kRead = 2, kMatch = 0x10, kMask = 0x20;
constexpr std::uint8_t kReadBuffer = kRead | 0x0C;

bool take(ByteSpan& in, std::size_t count, ByteSpan& taken) {
  if (in.size() < count) return false;
  taken = in.first(count);
  in = in.subspan(count);
  return true;
}

void append(Bytes& out, std::uint32_t word) {
  for (int shift = 0; shift < 32; shift += 8) out.push_back(static_cast<std::uint8_t>(word >> shift));
}

}  // namespace

void SwdFirmware::drive(std::uint64_t bits, unsigned count) {
  for (unsigned i = 0; i < count; ++i) board_.swdClock(true, (bits >> i & 1) != 0);
}

std::uint64_t SwdFirmware::sense(unsigned count) {
  std::uint64_t bits = 0;
  for (unsigned i = 0; i < count; ++i) bits |= static_cast<std::uint64_t>(board_.swdClock(false, true)) << i;
  return bits;
}

/// One packet on the wire.
std::uint8_t SwdFirmware::once(std::uint8_t request, std::uint32_t& data) {
  const unsigned asked = request & 15;
  drive(1u | asked << 1 | static_cast<unsigned>(std::popcount(asked) & 1) << 5 | 1u << 7, 8);
  sense(turnaround_);
  const auto ack = static_cast<std::uint8_t>(sense(3));
  const bool read = (request & kRead) != 0;
  if (ack == kOk) {
    if (read) {
      const std::uint64_t bits = sense(33);
      sense(turnaround_);
      data = static_cast<std::uint32_t>(bits);
      if ((std::popcount(data) & 1) != static_cast<int>(bits >> 32 & 1)) return kParity;
    } else {
      sense(turnaround_);
      drive(data | static_cast<std::uint64_t>(std::popcount(data) & 1) << 32, 33);
    }
    drive(0, idle_);
    return kOk;
  }
  if (ack == kWait || ack == kFault) {
    if (dataPhase_ && read) sense(33);
    sense(turnaround_);
    if (dataPhase_ && !read) drive(0, 33);
    return ack;
  }
  // Nobody answers: the data phase goes by, so that a target that does is not in the middle of something.
  sense(turnaround_ + 33);
  return kNoAnswer;
}

std::uint8_t SwdFirmware::access(std::uint8_t request, std::uint32_t& data) {
  for (unsigned tries = 0;; ++tries) {
    const std::uint8_t ack = once(request, data);
    if (ack != kWait || tries >= retries_) return ack;
  }
}

bool SwdFirmware::transfer(ByteSpan& in, Bytes& out, std::size_t room) {
  ByteSpan head;
  if (!take(in, 2, head)) return false;  // index, count
  const unsigned count = head[1];
  const std::size_t at = out.size();
  out.insert(out.end(), {0, 0});
  std::uint8_t ack = kOk;
  unsigned done = 0;
  bool posted = false;  // a read of an access port whose value is still to be fetched
  for (unsigned i = 0; i < count; ++i) {
    ByteSpan request, given;
    if (!take(in, 1, request)) return false;
    const std::uint8_t r = request[0];
    const bool read = (r & kRead) != 0;
    if ((!read || (r & kMatch) != 0) && !take(in, 4, given)) return false;
    if (ack != kOk) continue;
    std::uint32_t data = given.empty() ? 0 : loadLe32(given.data());
    if (read && (r & kMatch) == 0) {
      const bool ap = (r & kAp) != 0;
      if (posted) {
        // The value of the read before comes with this one where both are of access ports, or from RDBUFF.
        std::uint32_t before = 0;
        ack = access(ap ? r : kReadBuffer, before);
        if (ack != kOk) continue;
        append(out, before);
        posted = ap;
        if (ap) {
          ++done;
          continue;
        }
      } else if (ap) {
        std::uint32_t unknown = 0;
        ack = access(r, unknown);
        posted = ack == kOk;
        if (posted) ++done;
        continue;
      }
      ack = access(r, data);
      if (ack != kOk) continue;
      append(out, data);
      ++done;
      continue;
    }
    if (posted) {
      std::uint32_t before = 0;
      ack = access(kReadBuffer, before);
      posted = false;
      if (ack != kOk) continue;
      append(out, before);
    }
    if (read) {  // value match
      const std::uint32_t wanted = data;
      std::uint32_t value = 0;
      if ((r & kAp) != 0) ack = access(r, value);
      unsigned tries = 0;
      do {
        if (ack == kOk) ack = access(r, value);
      } while (ack == kOk && (value & mask_) != wanted && tries++ < matches_);
      if (ack == kOk && (value & mask_) != wanted) ack |= kMismatch;
      if (ack == kOk) ++done;
      continue;
    }
    if ((r & kMask) != 0) {
      mask_ = data;
      ++done;
      continue;
    }
    ack = access(r, data);
    if (ack == kOk) ++done;
  }
  if (posted) {
    std::uint32_t last = 0;
    const std::uint8_t got = access(kReadBuffer, last);
    if (got == kOk) {
      append(out, last);
    } else {
      ack = got;
      --done;
    }
  } else if (ack == kOk && done > 0) {
    // What was written last is not known to have been taken before something else was answered.
    std::uint32_t nothing = 0;
    ack = access(kReadBuffer, nothing);
  }
  if (out.size() > at + 2 + room) board_.violations().add("probe: a Transfer whose response does not fit");
  out[at] = static_cast<std::uint8_t>(done);
  out[at + 1] = ack;
  return true;
}

bool SwdFirmware::block(ByteSpan& in, Bytes& out, std::size_t room) {
  ByteSpan head;
  if (!take(in, 4, head)) return false;  // index, count (2), request
  const std::size_t count = loadLe16(&head[1]);
  const std::uint8_t r = head[3];
  const bool read = (r & kRead) != 0, ap = (r & kAp) != 0;
  const std::size_t at = out.size();
  out.insert(out.end(), {0, 0, 0});
  std::uint8_t ack = kOk;
  std::size_t done = 0;
  ByteSpan words;
  if (!read && !take(in, 4 * count, words)) return false;
  std::uint32_t data = 0;
  if (read && ap && count > 0) ack = access(r, data);
  for (std::size_t i = 0; i < count && ack == kOk; ++i) {
    if (read) {
      ack = access(ap && i + 1 == count ? kReadBuffer : r, data);
      if (ack != kOk) break;
      append(out, data);
    } else {
      data = loadLe32(&words[4 * i]);
      ack = access(r, data);
      if (ack != kOk) break;
    }
    ++done;
  }
  if (!read && ack == kOk && count > 0) ack = access(kReadBuffer, data);
  if (out.size() > at + 3 + room) board_.violations().add("probe: a TransferBlock whose response does not fit");
  out[at] = static_cast<std::uint8_t>(done);
  out[at + 1] = static_cast<std::uint8_t>(done >> 8);
  out[at + 2] = ack;
  return true;
}

}  // namespace imprimo::sim
