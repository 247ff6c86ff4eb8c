// SPDX-License-Identifier: GPL-3.0-or-later
//
// The system control space: SysTick, interrupts, system control, and halting debug (DDI 0419, B3 and C1).
#include "sim/core/arm_core.h"

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kCpuid = 0x410CC200;  // ARMv6-M, a part number of the architecture's smallest
constexpr std::uint32_t kKey = 0xA05F0000, kVectorKey = 0x05FA0000;

}  // namespace

std::uint32_t ArmCore::systemLoad(std::uint32_t address, bool debug) {
  switch (address & 0xFFF) {
    case 0x010: {
      const std::uint32_t value = tickControl_ | 4;
      if (!debug) tickControl_ &= ~(1u << 16);
      return value;
    }
    case 0x014:
      return tickReload_;
    case 0x018:
      return tickNow_;
    case 0x01C:
      return 0x80000000;
    case 0x100:
    case 0x180:
      return static_cast<std::uint32_t>(enabled_ >> 16);
    case 0x200:
    case 0x280:
      return static_cast<std::uint32_t>(pending_ >> 16);
    default:
      break;
  }
  if (const std::uint32_t at = address & 0xFFF; at >= 0x400 && at < 0x420) {
    std::uint32_t value = 0;
    for (unsigned i = 0; i < 4; ++i) value |= static_cast<std::uint32_t>(priority_[16 + (at & 0x1C) + i]) << (8 * i);
    return value;
  }
  return controlLoad(address & 0xFFF);
}

/// System control and debug, from 0xD00 on.
std::uint32_t ArmCore::controlLoad(std::uint32_t offset) {
  switch (offset) {
    case 0xD00:
      return kCpuid;
    case 0xD04: {
      std::uint32_t value = ipsr_;
      for (unsigned e = 2; e < 48; ++e) {
        if ((pending_ >> e & 1) == 0) continue;
        value |= e << 12;
        if (e >= 16) value |= 1u << 22;
        break;
      }
      if ((pending_ >> kPendSv & 1) != 0) value |= 1u << 28;
      if ((pending_ >> kSysTick & 1) != 0) value |= 1u << 26;
      return value;
    }
    case 0xD08:
      return vectors_;
    case 0xD0C:
      return 0xFA050000;
    case 0xD10:
      return systemControl_;
    case 0xD14:
      return 0x208;
    case 0xD1C:
      return static_cast<std::uint32_t>(priority_[kSvCall]) << 24;
    case 0xD20:
      return static_cast<std::uint32_t>(priority_[kPendSv]) << 16 | static_cast<std::uint32_t>(priority_[kSysTick])
                                                                        << 24;
    case 0xD24:
      return (pending_ >> kSvCall & 1) != 0 ? 1u << 15 : 0;
    case 0xD30:
      return debugStatus_;
    case 0xDF0:
      return debugControl();
    case 0xDF8:
      return transfer_;
    case 0xDFC:
      return exceptionControl_;
    default:
      return 0;
  }
}

void ArmCore::systemStore(std::uint32_t address, std::uint32_t value, bool debug) {
  switch (address & 0xFFF) {
    case 0x010:
      tickControl_ = (tickControl_ & (1u << 16)) | (value & 3) | 4;
      return;
    case 0x014:
      tickReload_ = value & 0xFFFFFF;
      return;
    case 0x018:
      tickNow_ = 0;
      tickControl_ &= ~(1u << 16);
      return;
    case 0x100:
      enabled_ |= static_cast<std::uint64_t>(value) << 16;
      return;
    case 0x180:
      enabled_ &= ~(static_cast<std::uint64_t>(value) << 16);
      return;
    case 0x200:
      pending_ |= static_cast<std::uint64_t>(value) << 16;
      return;
    case 0x280:
      pending_ &= ~(static_cast<std::uint64_t>(value) << 16);
      return;
    default:
      break;
  }
  if (const std::uint32_t at = address & 0xFFF; at >= 0x400 && at < 0x420) {
    for (unsigned i = 0; i < 4; ++i) priority_[16 + (at & 0x1C) + i] = value >> (8 * i) & 0xC0;
    return;
  }
  controlStore(address & 0xFFF, value);
  // The core itself cannot write what halts it (C1.6.3).
  if (!debug) return;
  switch (address & 0xFFF) {
    case 0xDF0:
      return writeDebugControl(value);
    case 0xDF4:
      return transferRegister(value);
    case 0xDF8:
      transfer_ = value;
      return;
    case 0xDFC:
      exceptionControl_ = value & 0x01000401;
      return;
    default:
      return;
  }
}

/// Pending bits, vectors, reset, sleep and priorities.
void ArmCore::controlStore(std::uint32_t offset, std::uint32_t value) {
  switch (offset) {
    case 0xD04:
      if ((value >> 28 & 1) != 0) pending_ |= 1ull << kPendSv;
      if ((value >> 27 & 1) != 0) pending_ &= ~(1ull << kPendSv);
      if ((value >> 26 & 1) != 0) pending_ |= 1ull << kSysTick;
      if ((value >> 25 & 1) != 0) pending_ &= ~(1ull << kSysTick);
      return;
    case 0xD08:
      vectors_ = value & ~0xFFu;
      return;
    case 0xD0C:
      if ((value & 0xFFFF0000) == kVectorKey && (value & 4) != 0) bus_.resetRequested();
      return;
    case 0xD10:
      systemControl_ = value & 0x16;
      return;
    case 0xD1C:
      priority_[kSvCall] = value >> 24 & 0xC0;
      return;
    case 0xD20:
      priority_[kPendSv] = value >> 16 & 0xC0;
      priority_[kSysTick] = value >> 24 & 0xC0;
      return;
    case 0xD30:
      debugStatus_ &= ~value;
      return;
    default:
      return;
  }
}

std::uint32_t ArmCore::debugControl() {
  const std::uint32_t value = (debugEnabled_ ? 1u : 0) | (halted_ ? 2u : 0) | (stepping_ ? 4u : 0) |
                              (maskInterrupts_ ? 8u : 0) | 1u << 16 | (halted_ ? 1u << 17 : 0) |
                              (asleep_ && !halted_ ? 1u << 18 : 0) | (lockedUp_ && !halted_ ? 1u << 19 : 0) |
                              (retired_ ? 1u << 24 : 0) | (resetSeen_ || held_ ? 1u << 25 : 0);
  resetSeen_ = retired_ = false;
  return value;
}

void ArmCore::writeDebugControl(std::uint32_t value) {
  if ((value & 0xFFFF0000) != kKey) return;
  const bool before = debugEnabled_;
  debugEnabled_ = (value & 1) != 0;
  if (!debugEnabled_) {
    halted_ = stepping_ = maskInterrupts_ = false;
    return;
  }
  stepping_ = before && (value & 4) != 0;
  maskInterrupts_ = (value & 8) != 0;
  if ((value & 2) != 0) {
    if (!halted_) {
      // A core in lockup is taken out of it by halting.
      lockedUp_ = false;
      asleep_ = false;
      enterDebug(1);
    }
  } else if (halted_) {
    halted_ = false;
  }
}

void ArmCore::transferRegister(std::uint32_t selector) {
  if (!halted_) return;
  const unsigned number = selector & 0x1F;
  if ((selector & 1u << 16) != 0) {
    setReg(number, transfer_);
  } else {
    transfer_ = reg(number);
  }
}

}  // namespace imprimo::sim
