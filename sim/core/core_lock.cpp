// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/core/core_lock.h"

namespace imprimo::sim {
namespace {

constexpr std::uint32_t kLockKey = 0x00, kLockControl = 0x04, kLockStatus = 0x08, kLockIdr = 0xFC;
constexpr std::uint32_t kLockKeyWord = 0x0C0DE4A5, kLockErase = 1, kLockReset = 2, kLockFuse = 4;
constexpr std::uint32_t kLockBusy = 1, kLockClosed = 2, kLockFused = 4, kLockRefused = 8;
constexpr std::uint32_t kLockIdentity = 0x0FFB0020;  // of no class of the standard

}  // namespace

std::uint32_t CoreLock::read(std::uint32_t address) const {
  if (address == kLockIdr) return kLockIdentity;
  if (address != kLockStatus) return 0;
  return (erasing_ ? kLockBusy : 0) | (closed_ ? kLockClosed : 0) | (fused_ ? kLockFused : 0) |
         (refused_ ? kLockRefused : 0);
}

void CoreLock::write(std::uint32_t address, std::uint32_t value, Time now, bool& reset) {
  if (address == kLockKey) armed_ = value == kLockKeyWord;
  if (address != kLockControl) return;
  if ((value & kLockReset) != 0) {
    if (erasing_) violations_.add("core lock: a reset while everything is erased");
    reset = true;
    return;
  }
  if ((value & (kLockErase | kLockFuse)) == 0) return;
  if (!armed_ || erasing_) {
    refused_ = true;
    violations_.add(erasing_ ? "core lock: a command while everything is erased"
                             : "core lock: a command without its key");
    return;
  }
  armed_ = refused_ = false;
  if ((value & kLockFuse) != 0) return fuse(false);
  if (forEver_) {
    refused_ = true;
    return;
  }
  erasing_ = true;
  until_ = now + fromSeconds(eraseAll_);
}

bool CoreLock::finished(Time now) {
  if (!erasing_ || now < until_) return false;
  erasing_ = fused_ = false;
  return true;
}

bool CoreLock::powerLost() {
  const bool broken = erasing_;
  erasing_ = armed_ = refused_ = false;
  return broken;
}

}  // namespace imprimo::sim
