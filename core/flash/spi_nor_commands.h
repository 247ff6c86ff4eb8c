// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fmt/format.h>

#include <chrono>
#include <cmath>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/progress.h"

namespace imprimo::flash {

/// What serial flashes of all makers understand.
namespace command {
constexpr std::uint8_t kRead = 0x03, kProgram = 0x02, kWriteEnable = 0x06, kWriteDisable = 0x04, kReadStatus = 0x05,
                       kReadId = 0x9F, kReadSfdp = 0x5A, kEnterFourByte = 0xB7, kLeaveFourByte = 0xE9,
                       kWriteSegment = 0xC5, kReadSegment = 0xC8, kWriteBank = 0x17, kReadBank = 0x16, kWake = 0xAB,
                       kArmReset = 0x66, kReset = 0x99;
}

/// What is queued at once: as much as a stop may have to wait for, less the time it takes to get there.
constexpr double kQueuedSeconds = 0.045;
constexpr std::size_t kMostBytesInExchange = 65000;

inline std::chrono::microseconds inMicroseconds(double seconds) {
  return std::chrono::microseconds(static_cast<long>(std::ceil(seconds * 1e6)));
}

/// Anything that goes wrong in the middle is told with the address at which the work stood.
template <typename Work>
auto at(std::uint64_t address, Work&& work) {
  try {
    return work();
  } catch (Error& e) {
    if (!e.at()) e.stoodAt(address);
    throw;
  }
}

inline void throwIfStopped(const Progress& progress, std::uint64_t address) {
  if (progress.stopRequested()) {
    throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(address))).setAt(address);
  }
}

}  // namespace imprimo::flash
