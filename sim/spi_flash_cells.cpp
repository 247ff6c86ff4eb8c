// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a flash does when chip select rises: commands that change cells, registers and modes.
#include <fmt/format.h>

#include <algorithm>
#include <tuple>

#include "sim/flash_commands.h"
#include "sim/spi_flash.h"

namespace imprimo::sim {

void SpiFlash::execute(Time now) {
  const std::uint8_t c = received_[0];
  if (addressBytes() > 0 && received_.size() < 1 + addressBytes()) {
    return violate(fmt::format("command 0x{:02X} without its whole address", c));
  }
  const bool resetNow = c == kReset && resetArmed_;
  resetArmed_ = c == kArmReset;
  switch (c) {
    case kWriteEnable:
      writeEnabled_ = true;
      return;
    case kWriteDisable:
      writeEnabled_ = false;
      return;
    case kVolatileEnable:
      if (model_.lines < 4) violate("unknown command 0x50");
      volatileEnabled_ = true;
      return;
    case kSleep:
      asleep_ = true;
      return;
    case kReset:
      if (resetNow) {
        fourByteMode_ = writeEnabled_ = false;
        segment_ = bank_ = 0;
      }
      return;
    case kWriteStatus:
      return writeStatus(now);
    case 0xFF:
    case 0x00:
    case kArmReset:
    case kWake:
      return;
    default:
      if (!addressing(c) && !changeCells(c, now)) violate(fmt::format("unknown command 0x{:02X}", c));
  }
}

/// What decides how far addresses reach; false: another command.
bool SpiFlash::addressing(std::uint8_t command) {
  using FourByte = FlashModel::FourByte;
  switch (command) {
    case kEnterFourByte:
    case kLeaveFourByte:
      if (!large() || model_.fourByte == FourByte::SegmentRegister || model_.fourByte == FourByte::BankRegister ||
          model_.fourByte == FourByte::OwnCommands)
        return true;  // not known to this part
      if (model_.fourByte == FourByte::EnableThenCommand && !writeEnabled_) return true;
      fourByteMode_ = command == kEnterFourByte;
      writeEnabled_ = false;
      return true;
    case kWriteBank:
      if (large() && model_.fourByte == FourByte::BankRegister && received_.size() > 1) {
        fourByteMode_ = (received_[1] & 0x80) != 0;
        bank_ = received_[1] & 0x7F;
      }
      return true;
    case kWriteSegment:
      if (!writeEnabled_) {
        violate("upper address byte written without write enable");
        return true;
      }
      if (received_.size() > 1) segment_ = received_[1];
      writeEnabled_ = false;
      return true;
    default:
      return false;
  }
}

/// Programs or erases; false: another command.
bool SpiFlash::changeCells(std::uint8_t command, Time now) {
  if (const WideOperation* wide = wideOperation(); wide != nullptr && wide->programs) {
    programPage(now);
    return true;
  }
  switch (command) {
    case kProgram4:
      if (!large() || model_.fourByte != FlashModel::FourByte::OwnCommands) return false;
      programPage(now);
      return true;
    case kProgram:
      programPage(now);
      return true;
    case kErase4K:
    case kErase4K4:
      eraseBlock(now, 4096, model_.erase4K);
      return true;
    case kErase32K:
    case kErase32K4:
      if (model_.has32K) eraseBlock(now, 32768, model_.erase32K);
      return true;
    case kErase64K:
    case kErase64K4:
      eraseBlock(now, 65536, model_.erase64K);
      return true;
    case kEraseChip:
    case kEraseChip2:
      eraseBlock(now, model_.size, model_.eraseChip);
      return true;
    default:
      return false;
  }
}

void SpiFlash::writeStatus(Time now) {
  const bool lasts = !std::exchange(volatileEnabled_, false);
  if (lasts && !writeEnabled_) return violate("status written without write enable");
  const bool locked = model_.protectPinLow && (status_ & 0x80) != 0;
  if (locked) {
    writeEnabled_ = false;
    return;
  }
  if (!lasts && !lasting_) lasting_ = {status_, status2_};
  if (lasts) lasting_.reset();
  if (received_.size() > 1) status_ = received_[1] & 0xFC;
  if (model_.twoRegisters) {
    // Bit 3 is set once and for all; a write of one byte clears the others.
    const std::uint8_t wanted = received_.size() > 2 ? received_[2] : 0;
    status2_ = static_cast<std::uint8_t>((wanted & 0x4A) | (status2_ & 0x08));
  }
  if (lasts) makeBusy(now, 0.005);
}

std::uint64_t SpiFlash::protectedFrom() const {
  // BP2..BP0 protect the upper 1/64, 1/32, … 1/2 of the part, and with 111 all of it.
  const unsigned level = (status_ & kProtectBits) >> 2;
  if (level == 0) return model_.size;
  return level == 7 ? 0 : model_.size - (model_.size >> (7 - level));
}

bool SpiFlash::silentlyLocked(std::uint64_t begin, std::uint64_t end) const {
  return std::any_of(model_.faults.begin(), model_.faults.end(), [&](const FlashFault& f) {
    return f.kind == FlashFault::Kind::SilentLock && f.at < end && begin <= f.to;
  });
}

bool SpiFlash::changeAllowed(const char* what, std::uint64_t begin, std::uint64_t end) {
  if (!writeEnabled_) {
    violate(fmt::format("{} at 0x{:06X} without write enable", what, begin));
    return false;
  }
  if (end > protectedFrom() || silentlyLocked(begin, end)) {
    writeEnabled_ = false;
    return false;
  }
  return true;
}

double SpiFlash::varied(const BusyTime& time) {
  double seconds = time.typical * model_.pace;
  if (const FlashFault* jitter = fault(FlashFault::Kind::Jitter)) {
    random_ = random_ * 1664525u + 1013904223u;
    const double unit = static_cast<double>(random_ >> 8) / (1 << 24);
    seconds *= 1 + (2 * unit - 1) * jitter->mask / 100.0;
  }
  return seconds;
}

void SpiFlash::makeBusy(Time now, double seconds) {
  busyUntil_ = now + fromSeconds(seconds);
  busySeconds_ += seconds;
}

void SpiFlash::programPage(Time now) {
  const std::uint64_t at = address();
  const std::uint64_t pageBegin = at / model_.page * model_.page;
  if (dataIn_ == 0) return violate("page program without data");
  if (!changeAllowed("program", at, at + 1)) return;
  if (at - pageBegin + dataIn_ > model_.page) violate(fmt::format("program at 0x{:06X} wraps in its page", at));
  const std::uint64_t count = std::min<std::uint64_t>(dataIn_, model_.page);
  remember(pageBegin, pageBegin + model_.page);
  // With more data than a page has, the last bytes sent are the ones that count; the buffer wrapped by itself.
  for (std::uint64_t i = dataIn_ - count; i < dataIn_; ++i) {
    const std::uint64_t offset = (at + i) % model_.page;
    const std::uint8_t data = pageBuffer_[offset];
    const std::uint8_t old = cells_.get(pageBegin + offset);
    if (data != kBlankByte && (data & ~old) != 0) {
      violate(fmt::format("program 0x{:02X} over 0x{:02X} at 0x{:06X}", data, old, pageBegin + offset));
    }
    std::uint8_t result = old & data;
    for (const FlashFault& f : model_.faults) {
      if (f.kind == FlashFault::Kind::StuckHigh && f.at == pageBegin + offset)
        result |= static_cast<std::uint8_t>(old & f.mask);
    }
    cells_.set(pageBegin + offset, result);
  }
  journal_.push_back({"program", count, at});
  ++pagesProgrammed_;
  const FlashFault* slow = fault(FlashFault::Kind::SlowPage);
  const bool slowNow = slow != nullptr && pagesProgrammed_ % slow->every == 0;
  makeBusy(now, slowNow ? model_.pageProgram.longest * 0.9 : varied(model_.pageProgram));
}

std::optional<std::pair<std::uint64_t, std::uint64_t>> SpiFlash::erasedRange(std::uint64_t address,
                                                                             std::uint64_t size) const {
  std::uint64_t begin = address / size * size, end = begin + size;
  if (model_.regions.empty() || size == model_.size) return std::pair{begin, end};
  const unsigned bit = size == 4096 ? 1 : size == 32768 ? 2 : 4;
  for (std::size_t i = 0; i < model_.regions.size(); ++i) {
    const std::uint64_t last = i + 1 < model_.regions.size() ? model_.regions[i + 1].begin : model_.size;
    if (address < model_.regions[i].begin || address >= last) continue;
    if ((model_.regions[i].erases & bit) == 0) return std::nullopt;
    return std::pair{std::max(begin, model_.regions[i].begin), std::min(end, last)};
  }
  return std::nullopt;
}

void SpiFlash::remember(std::uint64_t begin, std::uint64_t end) {
  constexpr std::uint64_t kMost = 1u << 20;
  beforeAt_ = begin;
  before_.resize(std::min(end - begin, kMost));
  for (std::size_t i = 0; i < before_.size(); ++i) before_[i] = cells_.get(begin + i);
}

void SpiFlash::powerLost(Time now) {
  if (now < busyUntil_) {
    // Some bits are there already and some are not.
    for (std::size_t i = 0; i < before_.size(); ++i) {
      random_ = random_ * 1664525u + 1013904223u;
      const auto mixed = static_cast<std::uint8_t>(random_ >> 16);
      const std::uint8_t after = cells_.get(beforeAt_ + i);
      cells_.set(beforeAt_ + i, static_cast<std::uint8_t>((before_[i] & mixed) | (after & ~mixed)));
    }
  }
  before_.clear();
  selected_ = ignored_ = writeEnabled_ = fourByteMode_ = resetArmed_ = false;
  if (lasting_) std::tie(status_, status2_) = *lasting_;
  lasting_.reset();
  volatileEnabled_ = false;
  asleep_ = model_.asleep;
  busyUntil_ = wakesAt_ = 0;
  segment_ = bank_ = 0;
  received_.clear();
}

void SpiFlash::eraseBlock(Time now, std::uint64_t size, const BusyTime& time) {
  const auto range = erasedRange(size == model_.size ? 0 : address(), size);
  if (!range) return violate(fmt::format("erase {}K at 0x{:06X}, where it does not work", size / 1024, address()));
  const auto [begin, end] = *range;
  if (!changeAllowed("erase", begin, end)) return;
  journal_.push_back({"erase", end - begin, begin});
  remember(begin, end);
  bool stuck = false;
  for (const FlashFault& f : model_.faults) {
    stuck = stuck || (f.kind == FlashFault::Kind::StuckErased && f.at >= begin && f.at < end);
  }
  if (!stuck) cells_.fill(begin, end, kBlankByte);
  for (const FlashFault& f : model_.faults) {
    if (f.kind == FlashFault::Kind::StuckLow && f.at >= begin && f.at < end) {
      cells_.set(f.at, static_cast<std::uint8_t>(cells_.get(f.at) & ~f.mask));
    }
  }
  makeBusy(now, fault(FlashFault::Kind::NeverReady) != nullptr ? 1e6 : varied(time));
}

}  // namespace imprimo::sim
