// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/serial/swo_trace.h"

#include <algorithm>

#include "sim/serial/manchester_line.h"
#include "sim/serial/uart_line.h"

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kEnables = 0xE00, kPrivileges = 0xE40, kTraceControl = 0xE80, kLockAccess = 0xFB0,
                        kLockStatus = 0xFB4;
constexpr std::uint32_t kSizes = 0x000, kSizeNow = 0x004, kDivider = 0x010, kProtocol = 0x0F0, kFormatter = 0x304,
                        kType = 0xFC8;
constexpr std::uint32_t kLockKey = 0xC5ACCE55;
constexpr std::size_t kRoom = 10;  // bytes that may wait
constexpr std::uint8_t kOverflow = 0x70;

/// How long a packet is on the wire, in bits.
Time bitsOf(const Bytes& bytes, bool manchester) {
  return manchester ? 1 + 8 * bytes.size() + 2 : 10 * bytes.size();
}

}  // namespace

bool SwoTrace::holds(std::uint32_t address) {
  return address - kItm < kSize || address - kTpiu < kSize || address == kPinRegister;
}

double SwoTrace::clockAt(Time now) const {
  const double share = model_.drift == 0 ? 0 : std::min(1.0, toSeconds(now) / model_.driftTime);
  return model_.hz * (1 + model_.drift * share);
}

std::size_t SwoTrace::waiting(Time now) const {
  std::size_t all = 0;
  for (auto packet = packets_.rbegin(); packet != packets_.rend(); ++packet) {
    if (packet->at + bitsOf(packet->bytes, packet->coding == kManchester) * packet->bit <= now) break;
    all += packet->bytes.size();
  }
  return all;
}

void SwoTrace::say(Bytes bytes, Time now) {
  if ((formatter_ & 2) != 0) {
    violations_.add("tpiu: trace goes through the formatter to a pin that has none");
    return;
  }
  if (coding_ != kManchester && coding_ != kUart) return;  // to the parallel pins, of which there are none
  if (cut_ || (model_.pinOff && !pin_)) return;
  const Time bit = fromSeconds((divider_ + 1) / clockAt(now));
  const Time at = std::max(now, free_);
  free_ = at + bitsOf(bytes, coding_ == kManchester) * bit;
  packets_.push_back({at, bit, std::move(bytes), coding_});
  // Nobody listens: what was on the wire long ago is of no use to anybody.
  constexpr std::size_t kMost = 1u << 16;
  if (packets_.size() > kMost) packets_.pop_front();
}

std::uint32_t SwoTrace::load(std::uint32_t address, Time now, bool on) {
  if (address == kPinRegister) return pin_ ? 1 : 0;
  if (!on) return 0;
  const std::uint32_t offset = address & 0xFFF;
  if (address - kItm < kSize) {
    if (offset < 0x80) return enabled(offset / 4) && waiting(now) + 5 <= kRoom ? 1 : 0;
    switch (offset) {
      case kEnables:
        return ports_;
      case kPrivileges:
        return privileges_;
      case kTraceControl:
        return control_ | (waiting(now) > 0 ? 1u << 23 : 0);
      case kLockStatus:
        return 1u | (locked_ ? 2u : 0);
      default:
        return 0;
    }
  }
  switch (offset) {
    case kSizes:
    case kSizeNow:
      return 1;
    case kDivider:
      return divider_;
    case kProtocol:
      return coding_;
    case kFormatter:
      return formatter_;
    case kType:
      return 0xCA1;  // both codings of a pin, the trace clock is its own
    default:
      return 0;
  }
}

void SwoTrace::storeItm(std::uint32_t offset, std::uint32_t value) {
  if (offset == kLockAccess) {
    locked_ = value != kLockKey;
    return;
  }
  if (locked_) return;
  if (offset == kEnables) ports_ = value;
  if (offset == kPrivileges) privileges_ = value & 0xF;
  if (offset == kTraceControl) control_ = value & 0x007F0F1F;
}

void SwoTrace::store(std::uint32_t address, unsigned bytes, std::uint32_t value, Time now, bool on) {
  if (address == kPinRegister) {
    pin_ = (value & 1) != 0;
    return;
  }
  if (!on) return;
  const std::uint32_t offset = address & 0xFFF;
  if (address - kItm < kSize) {
    if (offset >= 0x80) return storeItm(offset, value);
    const unsigned port = offset / 4;
    if (!enabled(port)) return;
    if (waiting(now) + 1 + bytes > kRoom) {
      lost_ = true;
      return;
    }
    // An instrumentation packet (D4.2.5), behind the word that something was lost.
    Bytes packet;
    if (lost_) packet.push_back(kOverflow);
    lost_ = false;
    packet.push_back(static_cast<std::uint8_t>(port << 3 | (bytes == 4 ? 3 : bytes)));
    for (unsigned i = 0; i < bytes; ++i) packet.push_back(static_cast<std::uint8_t>(value >> (8 * i)));
    return say(std::move(packet), now);
  }
  if (offset == kDivider) divider_ = value & 0x1FFF;
  if (offset == kProtocol) coding_ = value & 3;
  if (offset == kFormatter) formatter_ = value & 0x3F73;
}

void SwoTrace::powerLost() {
  locked_ = true;
  lost_ = pin_ = false;
  control_ = ports_ = privileges_ = divider_ = 0;
  coding_ = kManchester;
  formatter_ = 0x102;
  packets_.clear();
  free_ = 0;
}

LineLevels SwoTrace::take(Time now) {
  LineLevels levels;
  while (!packets_.empty()) {
    const Packet& packet = packets_.front();
    const Time end = packet.at + bitsOf(packet.bytes, packet.coding == kManchester) * packet.bit;
    if (end > now) break;
    if (packet.at > taken_) levels.push_back({packet.coding == kUart, packet.at - taken_});
    if (packet.coding == kManchester) {
      sendManchester(packet.bytes, packet.bit, levels);
    } else {
      for (const std::uint8_t byte : packet.bytes) sendUart(byte, packet.bit, levels);
    }
    taken_ = end;
    packets_.pop_front();
  }
  const Time until = packets_.empty() ? now : std::min(now, packets_.front().at);
  if (until > taken_) {
    levels.push_back({idlesHigh(), until - taken_});
    taken_ = until;
  }
  return levels;
}

}  // namespace imprimo::sim
