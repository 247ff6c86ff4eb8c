// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/core/jtag_debug_port.h"

namespace imprimo::sim {
namespace {

constexpr std::size_t kPortBits = 35, kAnswerBits = 3;
constexpr std::uint32_t kNobodyKnows = 0xD15EA5ED;  // what the standard leaves open

}  // namespace

void JtagDebugPort::powerLost(Time) {
  waiting_ = slow_ = false;
  result_ = kNobodyKnows;
  port_.powerLost();
}

std::vector<bool> JtagDebugPort::capture(Role role, Time now) {
  if (port_.silent()) return std::vector<bool>(kPortBits);
  waiting_ = role != Role::DpAbort && (slow_ || port_.busy(now) || (role == Role::Apacc && port_.storms()));
  slow_ = false;
  if (waiting_ && port_.detectsOverrun()) port_.overrun();
  const std::uint32_t word = waiting_ || role == Role::DpAbort ? kNobodyKnows : result_;
  const std::uint64_t bits = (role == Role::DpAbort ? 7u : waiting_ ? 1u : 2u) | std::uint64_t{word} << kAnswerBits;
  std::vector<bool> captured(kPortBits);
  for (std::size_t i = 0; i < kPortBits; ++i) captured[i] = (bits >> i & 1) != 0;
  return captured;
}

void JtagDebugPort::update(Role role, const std::vector<bool>& bits, Time now) {
  if (waiting_ || port_.silent()) return;
  std::uint64_t value = 0;
  for (std::size_t i = 0; i < bits.size() && i < 64; ++i) value |= std::uint64_t{bits[i]} << i;
  const bool read = (value & 1) != 0;
  const auto address = static_cast<unsigned>(value >> 1 & 3) * 4;
  auto data = static_cast<std::uint32_t>(value >> kAnswerBits);
  result_ = kNobodyKnows;
  switch (role) {
    case Role::DpAbort:
      if (!read && address == 0) port_.access(false, false, 0, data, now);
      return;
    case Role::Apacc:
      return accessPort(read, address, data, now);
    case Role::Dpacc:
      // ABORT has an instruction of its own, and what SWD's port has at 0xC reads as zero here.
      if (!read && address == 0) return;
      if (read && address == 0xC) {
        result_ = 0;
        return;
      }
      port_.access(false, read, address, data, now);
      if (read) result_ = data;
      return;
    default:
      return;
  }
}

void JtagDebugPort::accessPort(bool read, unsigned address, std::uint32_t data, Time now) {
  const DebugPort::Ack ack = port_.ready(true, read, address, now);
  if (ack == DebugPort::Ack::Fault) return;  // left out, and answered as if it had been done
  slow_ = ack == DebugPort::Ack::Wait;
  port_.access(true, read, address, data, now);
  if (read) result_ = port_.buffer();
}

}  // namespace imprimo::sim
