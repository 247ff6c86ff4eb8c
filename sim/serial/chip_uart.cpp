// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/serial/chip_uart.h"

#include <algorithm>

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kUartData = 0, kUartStatus = 4;
constexpr std::uint32_t kUartRoom = 1, kUartReceived = 2, kUartOverrun = 4;
constexpr Time kFrameBits = 10;  // bits

}  // namespace

std::uint32_t ChipUart::load(std::uint32_t offset, Time now) {
  if (offset == kUartData) {
    if (received_.empty()) return 0;
    const std::uint8_t byte = received_.front();
    received_.pop_front();
    return byte;
  }
  if (offset != kUartStatus) return 0;
  const bool room = free_ <= now + kFrameBits * bit_;  // one byte may wait behind the one that is sent
  return (room ? kUartRoom : 0) | (received_.empty() ? 0 : kUartReceived) | (overrun_ ? kUartOverrun : 0);
}

void ChipUart::store(std::uint32_t offset, std::uint32_t value, Time now) {
  if (offset == kUartStatus && (value & kUartOverrun) != 0) overrun_ = false;
  if (offset != kUartData || free_ > now + kFrameBits * bit_) return;  // no room: it is gone
  const Time at = std::max(now, free_);
  free_ = at + kFrameBits * bit_;
  constexpr std::size_t kMost = 1u << 16;  // nobody listens
  sent_.push_back({at, static_cast<std::uint8_t>(value)});
  if (sent_.size() > kMost) sent_.pop_front();
}

void ChipUart::reset() {
  received_.clear();
  overrun_ = false;
}

LineLevels ChipUart::take(Time now) {
  LineLevels levels;
  while (!sent_.empty() && sent_.front().at + kFrameBits * bit_ <= now) {
    if (sent_.front().at > taken_) levels.push_back({true, sent_.front().at - taken_});
    sendUart(sent_.front().byte, bit_, levels);
    taken_ = sent_.front().at + kFrameBits * bit_;
    sent_.pop_front();
  }
  const Time until = sent_.empty() ? now : std::min(now, sent_.front().at);
  if (until > taken_) {
    levels.push_back({true, until - taken_});
    taken_ = until;
  }
  return levels;
}

void ChipUart::hear(const LineLevels& levels) {
  // The core takes them up at its own pace; a host that sends faster than that is told so.
  constexpr std::size_t kMost = 64;
  for (const LineLevel& level : levels) {
    receiver_.feed(level, [this](std::uint8_t byte, bool framed) {
      if (!framed) return;
      if (received_.size() >= kMost) {
        overrun_ = true;
      } else {
        received_.push_back(byte);
      }
    });
  }
}

}  // namespace imprimo::sim
