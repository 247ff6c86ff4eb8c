// SPDX-License-Identifier: GPL-3.0-or-later
//
// Running, exceptions and faults (DDI 0419, B1).
#include "sim/core/arm_core.h"

#include <algorithm>
#include <bit>

namespace imprimo::sim {
namespace {

constexpr unsigned kThread = 256, kBoosted = 0;  // priorities as numbers: lower is more urgent
constexpr std::uint32_t kVectorCatchReset = 1u << 0, kVectorCatchFault = 1u << 10;
constexpr unsigned kReasonHalt = 1u << 0, kReasonBreak = 1u << 1, kReasonCatch = 1u << 3;

}  // namespace

void ArmCore::reset(bool held) {
  r_.fill(0);
  psp_ = 0;
  lr_ = 0xFFFFFFFF;
  n_ = z_ = c_ = v_ = false;
  ipsr_ = 0;
  primask_ = false;
  control_ = 0;
  pending_ = active_ = enabled_ = 0;
  priority_.fill(0);
  vectors_ = systemControl_ = 0;
  tickControl_ = tickReload_ = tickNow_ = 0;
  event_ = asleep_ = lockedUp_ = false;
  halted_ = false;
  resetSeen_ = true;
  held_ = held;
  const auto stack = bus_.load(0, 4), start = bus_.load(4, 4);
  msp_ = stack.value_or(0) & ~3u;
  pc_ = start.value_or(0) & ~1u;
  thumb_ = (start.value_or(0) & 1) != 0;
  if (!stack || !start) lockedUp_ = true;
  if (debugEnabled_ && (exceptionControl_ & kVectorCatchReset) != 0) enterDebug(kReasonCatch);
}

void ArmCore::run(std::uint64_t cycles) {
  while (cycles > 0) {
    if (held_ || halted_ || lockedUp_) {
      return;
    }
    if (asleep_) {
      // Until SysTick ends the sleep, or for good.
      const bool ticks = (tickControl_ & 3) == 3;
      const std::uint64_t wait = ticks ? std::min<std::uint64_t>(cycles, tickNow_ == 0 ? 1 : tickNow_) : cycles;
      tick(wait);
      cycles -= wait;
      if (nextException() != 0 || (pending_ != 0 && primask_)) asleep_ = false;
      continue;
    }
    tick(1);
    --cycles;
    step();
    if (stepping_ && !halted_) enterDebug(kReasonHalt);
  }
}

void ArmCore::tick(std::uint64_t cycles) {
  if ((tickControl_ & 1) == 0) return;
  while (cycles > 0) {
    if (tickNow_ == 0) {
      tickNow_ = tickReload_;
      --cycles;
      if (tickReload_ == 0) return;
      continue;
    }
    const std::uint64_t some = std::min<std::uint64_t>(cycles, tickNow_);
    tickNow_ -= static_cast<std::uint32_t>(some);
    cycles -= some;
    if (tickNow_ == 0) {
      tickControl_ |= 1u << 16;
      if ((tickControl_ & 2) != 0) pending_ |= 1ull << kSysTick;
    }
  }
}

void ArmCore::step() {
  if (takePending()) return;
  try {
    if (!thumb_) throw Fault{};
    const std::uint16_t op = fetch(pc_);
    next_ = pc_ + 2;
    execute(op);
    pc_ = next_;
    ++instructions_;
    retired_ = true;
  } catch (const Fault&) {
    fault();
  }
}

/// A fault at the instruction that pc_ points to.
void ArmCore::fault() {
  if (debugEnabled_ && (exceptionControl_ & kVectorCatchFault) != 0 && priorityNow() > priorityOf(kHardFault)) {
    enter(kHardFault, pc_);
    if (!lockedUp_) enterDebug(kReasonCatch);
    return;
  }
  if (priorityNow() <= priorityOf(kHardFault)) {
    lockedUp_ = true;
    return;
  }
  enter(kHardFault, pc_);
}

unsigned ArmCore::priorityOf(unsigned exception) const {
  // Fixed ones are below all that can be set; these are numbers 16 to 255 here.
  switch (exception) {
    case kReset:
      return 0;
    case kNmi:
      return 1;
    case kHardFault:
      return 2;
    default:
      return 16u + priority_[exception];
  }
}

unsigned ArmCore::priorityNow() const {
  unsigned now = kThread + 16;
  for (std::uint64_t left = active_; left != 0; left &= left - 1)
    now = std::min(now, priorityOf(static_cast<unsigned>(std::countr_zero(left))));
  if (primask_) now = std::min(now, 16u + kBoosted);
  return now;
}

/// The pending exception that would be taken now; 0: none.
unsigned ArmCore::nextException() const {
  if (pending_ == 0) return 0;
  unsigned best = 0, bestPriority = priorityNow();
  for (std::uint64_t left = pending_; left != 0; left &= left - 1) {
    const auto e = static_cast<unsigned>(std::countr_zero(left));
    if (e >= 16 && (enabled_ >> e & 1) == 0) continue;
    if (maskInterrupts_ && debugEnabled_ && (e >= 16 || e == kPendSv || e == kSysTick)) continue;
    if (priorityOf(e) < bestPriority) {
      best = e;
      bestPriority = priorityOf(e);
    }
  }
  return best;
}

bool ArmCore::takePending() {
  const unsigned exception = nextException();
  if (exception == 0) return false;
  enter(exception, pc_);
  return true;
}

void ArmCore::enter(unsigned exception, std::uint32_t returnAddress) {
  const bool process = (control_ & 2) != 0 && ipsr_ == 0;
  std::uint32_t& stack = sp();
  const bool padded = (stack & 4) != 0;
  const std::uint32_t frame = (stack - 0x20) & ~4u;
  const std::uint32_t xpsr = static_cast<std::uint32_t>(n_) << 31 | static_cast<std::uint32_t>(z_) << 30 |
                             static_cast<std::uint32_t>(c_) << 29 | static_cast<std::uint32_t>(v_) << 28 |
                             static_cast<std::uint32_t>(thumb_) << 24 | static_cast<std::uint32_t>(padded) << 9 | ipsr_;
  const std::uint32_t saved[8] = {r_[0], r_[1], r_[2], r_[3], r_[12], lr_, returnAddress, xpsr};
  pending_ &= ~(1ull << exception);
  for (unsigned i = 0; i < 8; ++i) {
    if (bus_.store(frame + 4 * i, 4, saved[i])) continue;
    // The stack cannot be written: a HardFault whose own entry cannot be stacked either is lockup.
    lockedUp_ = exception == kHardFault || priorityNow() <= priorityOf(kHardFault);
    if (!lockedUp_) {
      ipsr_ = kHardFault;
      active_ |= 1ull << kHardFault;
      lockedUp_ = true;
    }
    return;
  }
  stack = frame;
  lr_ = ipsr_ != 0 ? 0xFFFFFFF1u : process ? 0xFFFFFFFDu : 0xFFFFFFF9u;
  ipsr_ = exception;
  active_ |= 1ull << exception;
  control_ &= ~2u;
  const auto handler = bus_.load(vectors_ + 4 * exception, 4);
  if (!handler) {
    lockedUp_ = true;
    return;
  }
  pc_ = *handler & ~1u;
  thumb_ = (*handler & 1) != 0;
  asleep_ = false;
  event_ = true;
}

void ArmCore::leave(std::uint32_t excReturn) {
  const unsigned kind = excReturn & 0xF;
  if ((kind != 1 && kind != 9 && kind != 0xD) || ipsr_ == 0) throw Fault{};
  active_ &= ~(1ull << ipsr_);
  const bool process = kind == 0xD;
  std::uint32_t& stack = process ? psp_ : msp_;
  std::uint32_t word[8];
  for (unsigned i = 0; i < 8; ++i) word[i] = load(stack + 4 * i, 4);
  r_[0] = word[0], r_[1] = word[1], r_[2] = word[2], r_[3] = word[3], r_[12] = word[4], lr_ = word[5];
  const std::uint32_t xpsr = word[7];
  stack = (stack + 0x20) | ((xpsr >> 9 & 1) << 2);
  n_ = (xpsr >> 31 & 1) != 0, z_ = (xpsr >> 30 & 1) != 0, c_ = (xpsr >> 29 & 1) != 0, v_ = (xpsr >> 28 & 1) != 0;
  thumb_ = (xpsr >> 24 & 1) != 0;
  ipsr_ = kind == 1 ? xpsr & 0x3F : 0;
  if (process) control_ |= 2u;
  next_ = word[6] & ~1u;
  event_ = true;
  // SLEEPONEXIT: asleep as soon as thread mode would be reached.
  if (ipsr_ == 0 && (systemControl_ & 2) != 0) asleep_ = true;
}

void ArmCore::enterDebug(unsigned reason) {
  halted_ = true;
  debugStatus_ |= reason;
}

std::uint32_t ArmCore::reg(unsigned number) const {
  if (number <= 12) return r_[number];
  switch (number) {
    case 13:
      return (control_ & 2) != 0 && ipsr_ == 0 ? psp_ : msp_;
    case 14:
      return lr_;
    case 15:
      return pc_;
    case 16:
      return static_cast<std::uint32_t>(n_) << 31 | static_cast<std::uint32_t>(z_) << 30 |
             static_cast<std::uint32_t>(c_) << 29 | static_cast<std::uint32_t>(v_) << 28 |
             static_cast<std::uint32_t>(thumb_) << 24 | ipsr_;
    case 17:
      return msp_;
    case 18:
      return psp_;
    case 20:
      return control_ << 24 | static_cast<std::uint32_t>(primask_);
    default:
      return 0;
  }
}

void ArmCore::setReg(unsigned number, std::uint32_t value) {
  if (number <= 12) {
    r_[number] = value;
    return;
  }
  switch (number) {
    case 13:
      sp() = value & ~3u;
      return;
    case 14:
      lr_ = value;
      return;
    case 15:
      pc_ = value & ~1u;
      return;
    case 16:
      n_ = (value >> 31 & 1) != 0, z_ = (value >> 30 & 1) != 0, c_ = (value >> 29 & 1) != 0;
      v_ = (value >> 28 & 1) != 0, thumb_ = (value >> 24 & 1) != 0;
      ipsr_ = value & 0x3F;
      return;
    case 17:
      msp_ = value & ~3u;
      return;
    case 18:
      psp_ = value & ~3u;
      return;
    case 20:
      control_ = value >> 24 & 3;
      primask_ = (value & 1) != 0;
      return;
    default:
      return;
  }
}

std::uint32_t ArmCore::load(std::uint32_t address, unsigned bytes) {
  if ((address & (bytes - 1)) != 0) throw Fault{};
  if (address >= kSystemSpace && address < kSystemEnd) {
    if (bytes != 4) throw Fault{};
    return systemLoad(address, false);
  }
  if (const auto value = bus_.load(address, bytes)) return *value;
  throw Fault{};
}

void ArmCore::store(std::uint32_t address, unsigned bytes, std::uint32_t value) {
  if ((address & (bytes - 1)) != 0) throw Fault{};
  if (address >= kSystemSpace && address < kSystemEnd) {
    if (bytes != 4) throw Fault{};
    return systemStore(address, value, false);
  }
  if (!bus_.store(address, bytes, value)) throw Fault{};
}

std::uint16_t ArmCore::fetch(std::uint32_t address) {
  // Execute never from 0x40000000 up, but for the code, SRAM and RAM regions (B3.1).
  if (address >= 0x40000000 && (address < 0x60000000 || address >= 0xA0000000)) throw Fault{};
  if (const auto op = bus_.load(address, 2)) return static_cast<std::uint16_t>(*op);
  throw Fault{};
}

}  // namespace imprimo::sim
