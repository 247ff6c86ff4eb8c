// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/spi_flash.h"

#include <fmt/format.h>

#include <algorithm>

#include "sim/sfdp_table.h"

namespace imprimo::sim {
namespace {

enum : std::uint8_t {
  kWriteStatus = 0x01,
  kProgram = 0x02,
  kRead = 0x03,
  kWriteDisable = 0x04,
  kReadStatus = 0x05,
  kWriteEnable = 0x06,
  kFastRead = 0x0B,
  kErase4K = 0x20,
  kErase32K = 0x52,
  kReadSfdp = 0x5A,
  kEraseChip2 = 0x60,
  kArmReset = 0x66,
  kReset = 0x99,
  kReadId = 0x9F,
  kEnterFourByte = 0xB7,
  kEraseChip = 0xC7,
  kErase64K = 0xD8,
  kLeaveFourByte = 0xE9,
};

constexpr std::uint8_t kBusyBit = 0x01, kEnabledBit = 0x02, kProtectBits = 0x1C;

bool takesAddress(std::uint8_t c) {
  return c == kProgram || c == kRead || c == kFastRead || c == kErase4K || c == kErase32K || c == kErase64K;
}

}  // namespace

SpiFlash::SpiFlash(FlashModel model, Violations& violations)
    : model_(std::move(model)), violations_(violations), cells_(model_.size), sfdp_(sfdpTable(model_)) {}

void SpiFlash::violate(const std::string& what) {
  violations_.add(model_.name + ": " + what);
}

const FlashFault* SpiFlash::fault(FlashFault::Kind kind) const {
  const auto it =
      std::find_if(model_.faults.begin(), model_.faults.end(), [&](const FlashFault& f) { return f.kind == kind; });
  return it == model_.faults.end() ? nullptr : &*it;
}

std::size_t SpiFlash::addressBytes() const {
  if (received_.empty()) return 0;
  if (received_[0] == kReadSfdp) return 3;
  return takesAddress(received_[0]) ? (fourByteMode_ ? 4 : 3) : 0;
}

std::uint64_t SpiFlash::address() const {
  std::uint64_t a = 0;
  for (std::size_t i = 1; i <= addressBytes(); ++i) a = a << 8 | received_[i];
  return a % model_.size;  // higher bits are not looked at
}

std::uint8_t SpiFlash::status(Time now) {
  const bool busy = now < busyUntil_;
  if (!busy && busyUntil_ != 0) {
    busyUntil_ = 0;
    writeEnabled_ = false;  // an operation that ends takes the enable with it
  }
  return static_cast<std::uint8_t>(status_ | (busy ? kBusyBit : 0) | (writeEnabled_ ? kEnabledBit : 0));
}

void SpiFlash::select(Time now) {
  status(now);
  selected_ = true;
  ignored_ = false;
  selectedAt_ = now;
  received_.clear();
  dataIn_ = 0;
  readCount_ = 0;
}

std::uint8_t SpiFlash::output(Time now) {
  if (!selected_ || ignored_ || received_.empty()) return 0xFF;
  switch (received_[0]) {
    case kReadStatus:
      return status(now);
    case kReadId: {
      const std::size_t i = readCount_++;
      if (i < model_.bank - 1) return 0x7F;
      if (i == model_.bank - 1) return model_.maker;
      if (i == model_.bank) return static_cast<std::uint8_t>(model_.device >> 8);
      return i == model_.bank + 1 ? static_cast<std::uint8_t>(model_.device) : 0x00;
    }
    case kRead:
    case kFastRead:
    case kReadSfdp: {
      const bool dummy = received_[0] != kRead;
      const std::size_t header = 1 + addressBytes() + (dummy ? 1 : 0);
      if (received_.size() < header) return 0xFF;
      if (received_[0] == kReadSfdp) {
        const std::uint64_t at = (received_[1] << 16 | received_[2] << 8 | received_[3]) + readCount_++;
        return at < sfdp_.size() ? sfdp_[at] : 0xFF;
      }
      if (readCount_ == 0) readAt_ = address();
      ++readCount_;
      const std::uint8_t value = cells_.get(readAt_);
      readAt_ = (readAt_ + 1) % model_.size;
      return value;
    }
    default:
      return 0xFF;
  }
}

void SpiFlash::begin(std::uint8_t command) {
  ++commands_[command];
  if (selectedAt_ < busyUntil_ && command != kReadStatus) {
    violate(fmt::format("command 0x{:02X} while busy", command));
    ignored_ = true;
  }
}

void SpiFlash::input(std::uint8_t mosi) {
  if (!selected_) return;
  if (received_.empty()) {
    begin(mosi);
    received_.push_back(mosi);
    return;
  }
  const std::size_t header = 1 + addressBytes() + (received_[0] == kFastRead || received_[0] == kReadSfdp ? 1 : 0);
  if (received_.size() < header) {
    received_.push_back(mosi);
  } else if (received_[0] == kProgram) {
    pageBuffer_[(address() + dataIn_) % model_.page] = mosi;
    ++dataIn_;
  } else if (received_[0] == kWriteStatus && received_.size() < 3) {
    received_.push_back(mosi);
  }
}

void SpiFlash::deselect(Time now, int strayBits) {
  if (!selected_) return;
  selected_ = false;
  if (received_.empty() || ignored_) return;
  const std::uint8_t c = received_[0];
  const bool reads = c == kRead || c == kFastRead || c == kReadStatus || c == kReadId || c == kReadSfdp;
  if (reads) {
    if (c == kRead || c == kFastRead) journal_.push_back({"read", readCount_, readCount_ == 0 ? 0 : address()});
    return;
  }
  if (strayBits != 0) return violate(fmt::format("command 0x{:02X} cut off inside a byte", c));
  execute(now);
}

void SpiFlash::execute(Time now) {
  const std::uint8_t c = received_[0];
  if (takesAddress(c) && received_.size() < 1 + addressBytes()) {
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
    case kEnterFourByte:
      fourByteMode_ = model_.size > 1u << 24;
      return;
    case kLeaveFourByte:
      fourByteMode_ = false;
      return;
    case kReset:
      if (resetNow) fourByteMode_ = writeEnabled_ = false;
      return;
    case kWriteStatus:
      if (!writeEnabled_) return violate("status written without write enable");
      if (received_.size() > 1) status_ = received_[1] & 0xFC;
      makeBusy(now, 0.005);
      return;
    case kProgram:
      return programPage(now);
    case kErase4K:
      return eraseBlock(now, 4096, model_.erase4K);
    case kErase32K:
      if (model_.has32K) eraseBlock(now, 32768, model_.erase32K);
      return;
    case kErase64K:
      return eraseBlock(now, 65536, model_.erase64K);
    case kEraseChip:
    case kEraseChip2:
      return eraseBlock(now, model_.size, model_.eraseChip);
    case 0xFF:
    case 0x00:
    case kArmReset:
      return;
    default:
      violate(fmt::format("unknown command 0x{:02X}", c));
  }
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
}

void SpiFlash::programPage(Time now) {
  const std::uint64_t at = address();
  const std::uint64_t pageBegin = at / model_.page * model_.page;
  if (dataIn_ == 0) return violate("page program without data");
  if (!changeAllowed("program", at, at + 1)) return;
  if (at - pageBegin + dataIn_ > model_.page) violate(fmt::format("program at 0x{:06X} wraps in its page", at));
  const std::uint64_t count = std::min<std::uint64_t>(dataIn_, model_.page);
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

void SpiFlash::eraseBlock(Time now, std::uint64_t size, const BusyTime& time) {
  const std::uint64_t begin = size == model_.size ? 0 : address() / size * size;
  if (!changeAllowed("erase", begin, begin + size)) return;
  journal_.push_back({"erase", size, begin});
  bool stuck = false;
  for (const FlashFault& f : model_.faults) {
    stuck = stuck || (f.kind == FlashFault::Kind::StuckErased && f.at >= begin && f.at < begin + size);
  }
  if (!stuck) cells_.fill(begin, begin + size, kBlankByte);
  for (const FlashFault& f : model_.faults) {
    if (f.kind == FlashFault::Kind::StuckLow && f.at >= begin && f.at < begin + size) {
      cells_.set(f.at, static_cast<std::uint8_t>(cells_.get(f.at) & ~f.mask));
    }
  }
  makeBusy(now, fault(FlashFault::Kind::NeverReady) != nullptr ? 1e6 : varied(time));
}

std::string SpiFlash::journal() const {
  std::string text;
  for (const Entry& e : journal_) {
    const bool erase = e.what[0] == 'e';
    const std::string size =
        erase && e.size % 1024 == 0 ? fmt::format("{}K", e.size / 1024) : fmt::format("{}", e.size);
    text += fmt::format("{} {} 0x{:06X}\n", e.what, size, e.address);
  }
  return text;
}

void SpiFlash::clearJournal() {
  journal_.clear();
  commands_.clear();
}

}  // namespace imprimo::sim
