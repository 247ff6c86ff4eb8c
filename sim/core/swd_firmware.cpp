// SPDX-License-Identifier: GPL-3.0-or-later
//
// Requests of DAP_Transfer: bit 0 APnDP, bit 1 RnW, bits 3-2 A[3:2], bit 4 value match, bit 5 match mask.
#include "sim/core/swd_firmware.h"

#include <bit>

namespace imprimo::sim {
namespace {

constexpr std::uint8_t kAp = 1, kReads = 2, kMatch = 0x10, kMask = 0x20;
constexpr std::uint8_t kReadBuffer = kReads | 0x0C;

bool take(ByteSpan& in, std::size_t count, ByteSpan& taken) {
  if (in.size() < count) return false;
  taken = in.first(count);
  in = in.subspan(count);
  return true;
}

void appendWord(Bytes& out, std::uint32_t word) {
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
  const bool read = (request & kReads) != 0;
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
  return ack;
}

std::uint8_t SwdFirmware::access(std::uint8_t request, std::uint32_t& data) {
  for (unsigned tries = 0;; ++tries) {
    const std::uint8_t ack = once(request, data);
    if (ack != kWait || tries >= retries_) return ack;
  }
}

/// The value of a posted read comes with the access that follows it.
void SwdFirmware::fetchPosted(Transfer& t, std::uint8_t request) {
  std::uint32_t value = 0;
  t.ack = access(request, value);
  if (t.ack != kOk) return;
  appendWord(t.out, value);
  t.posted = false;
}

void SwdFirmware::readOnce(Transfer& t, std::uint8_t request) {
  const bool ap = (request & kAp) != 0;
  if (t.posted) {
    fetchPosted(t, ap ? request : kReadBuffer);
    if (t.ack != kOk) return;
    t.posted = ap;
    if (ap) {
      ++t.done;
      return;
    }
  }
  std::uint32_t value = 0;
  t.ack = access(request, value);
  if (t.ack != kOk) return;
  ++t.done;
  if (ap) {
    t.posted = true;
  } else {
    appendWord(t.out, value);
  }
}

void SwdFirmware::matchValue(Transfer& t, std::uint8_t request, std::uint32_t wanted) {
  std::uint32_t value = 0;
  if ((request & kAp) != 0) t.ack = access(request, value);
  unsigned tries = 0;
  do {
    if (t.ack == kOk) t.ack = access(request, value);
  } while (t.ack == kOk && (value & mask_) != wanted && tries++ < matches_);
  if (t.ack == kOk && (value & mask_) != wanted) t.ack |= kMismatch;
  if (t.ack == kOk) ++t.done;
}

/// What is still under way; what was written last is not known to have been taken before something else was answered.
void SwdFirmware::finish(Transfer& t) {
  if (t.posted) {
    fetchPosted(t, kReadBuffer);
    if (t.ack != kOk) --t.done;
  } else if (t.ack == kOk && t.wrote) {
    std::uint32_t nothing = 0;
    t.ack = access(kReadBuffer, nothing);
  }
}

bool SwdFirmware::transfer(ByteSpan& in, Bytes& out, std::size_t room) {
  ByteSpan head;
  if (!take(in, 2, head)) return false;  // index, count
  const std::size_t at = out.size();
  out.insert(out.end(), {0, 0});
  Transfer t{out};
  for (unsigned i = 0; i < head[1]; ++i) {
    ByteSpan request, given;
    if (!take(in, 1, request)) return false;
    const std::uint8_t r = request[0];
    const bool read = (r & kReads) != 0, matches = (r & kMatch) != 0;
    if ((!read || matches) && !take(in, 4, given)) return false;
    if (t.ack != kOk) continue;
    t.wrote = !read && (r & kMask) == 0;
    if (read && !matches) {
      readOnce(t, r);
      continue;
    }
    if (t.posted) fetchPosted(t, kReadBuffer);
    if (t.ack != kOk) continue;
    std::uint32_t data = loadLe32(given.data());
    if (read) {
      matchValue(t, r, data);
      continue;
    }
    if ((r & kMask) != 0) {
      mask_ = data;
    } else {
      t.ack = access(r, data);
    }
    if (t.ack == kOk) ++t.done;
  }
  finish(t);
  if (out.size() > at + 2 + room) board_.violations().add("probe: a Transfer whose response does not fit");
  out[at] = static_cast<std::uint8_t>(t.done);
  out[at + 1] = t.ack;
  return true;
}

bool SwdFirmware::block(ByteSpan& in, Bytes& out, std::size_t room) {
  ByteSpan head;
  if (!take(in, 4, head)) return false;  // index, count (2), request
  const std::size_t count = loadLe16(&head[1]);
  const std::uint8_t r = head[3];
  const bool read = (r & kReads) != 0, ap = (r & kAp) != 0;
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
      appendWord(out, data);
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
