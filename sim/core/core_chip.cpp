// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/core/core_chip.h"

#include <fmt/format.h>

#include <algorithm>

#include "sim/core/debug_parts.h"

namespace imprimo::sim {
namespace {

// The flash controller: registers and bits (docs/formats/bench.md).
constexpr std::uint32_t kKey = 0x0, kControl = 0x4, kStatus = 0x8, kAddress = 0xC, kStart = 0x10, kAccess = 0x14;
constexpr std::uint32_t kControllerSize = 0x18;
constexpr std::uint32_t kFirstKey = 0x5A3C0001, kSecondKey = 0xC3A5FFFE;
constexpr std::uint32_t kProgram = 1, kEraseSector = 2, kEraseAll = 4, kGo = 0x40, kLock = 0x80;
constexpr std::uint32_t kBusy = 1, kRefused = 2;

bool isIn(std::uint32_t address, std::uint32_t begin, std::uint32_t size) {
  return address >= begin && address - begin < size;
}

std::uint32_t get(const std::uint8_t* bytes, unsigned count) {
  std::uint32_t value = 0;
  for (unsigned i = 0; i < count; ++i) value |= static_cast<std::uint32_t>(bytes[i]) << (8 * i);
  return value;
}

void put(std::uint8_t* bytes, unsigned count, std::uint32_t value) {
  for (unsigned i = 0; i < count; ++i) bytes[i] = static_cast<std::uint8_t>(value >> (8 * i));
}

}  // namespace

CoreChip::CoreChip(CoreModel model, Violations& violations)
    : model_(std::move(model)), violations_(violations), flash_(model_.flashSize, kBlankByte), ram_(model_.ramSize, 0) {
  if (model_.locked) lock_.emplace(*model_.locked, model_.eraseAll, violations_);
  if (model_.wordsAt) words_.emplace(*model_.wordsAt);
  if (model_.outside) outside_.emplace(*model_.outside, violations_);
  if (model_.uart) uart_.emplace(*model_.uart);
  if (model_.swo) trace_.emplace(*model_.swo, violations_);
  core_.reset();
}

void CoreChip::lockStore(std::uint32_t address, std::uint32_t value) {
  bool reset = false;
  lock_->write(address, value, now_, reset);
  if (reset) resetNow(pinLow_);
}

void CoreChip::powerLost() {
  // The erase was somewhere in the middle.
  if (lock_ && lock_->powerLost()) std::fill(flash_.begin(), flash_.begin() + model_.flashSize / 2, kBlankByte);
  std::fill(ram_.begin(), ram_.end(), 0);
  busyUntil_ = 0;
  if (trace_) trace_->powerLost();
}

void CoreChip::powerUp(Time now) {
  now_ = now;
  core_.systemStore(0xE000EDF0, 0xA05F0000, true);  // debug is off, and nothing of it is kept
  core_.systemStore(0xE000EDFC, 0, true);
  resetNow(pinLow_);
}

void CoreChip::resetNow(bool held) {
  ++resets_;
  if (busy()) busyUntil_ = std::min(busyUntil_, now_ + fromSeconds(model_.eraseAll));  // what hangs is reset too
  locked_ = true;
  firstKey_ = refused_ = false;
  control_ = address_ = 0;
  unfed_.reset();
  if (words_) {
    words_->reset();
    if (words_->watchdogRuns() && model_.watchdog > 0) unfed_ = 0;
    if (lock_ && words_->closes()) lock_->fuse(words_->closesForEver());
  }
  if (lock_) lock_->reset();
  if (outside_) outside_->reset();
  if (uart_) uart_->reset();
  core_.reset(held || off_);
  if (later_ != nullptr) later_->putOff();
}

void CoreChip::putOff() {
  off_ = true;
  resetNow(true);
}

void CoreChip::resetPin(bool low) {
  if (low && !pinLow_) resetNow(true);
  if (!low && pinLow_) resetNow(false);
  pinLow_ = low;
}

void CoreChip::advance(Time now) {
  if (resetAt_ && now >= *resetAt_) {
    const Time at = *resetAt_;
    resetAt_.reset();
    advance(at);
    resetNow(pinLow_);
  }
  if (now <= now_) return;
  if (lock_ && lock_->finished(now)) {
    std::fill(flash_.begin(), flash_.end(), kBlankByte);
    std::fill(ram_.begin(), ram_.end(), 0);
    if (words_) std::fill(words_->bytes().begin(), words_->bytes().end(), kBlankByte);
    journal_ += "erase all by the lock\n";
  }
  // In slices, so that what the core waits for happens while it looks.
  while (now_ < now) {
    constexpr Time kSecond = 1'000'000'000'000, kMost = kSecond / 100;  // times the clock it fits into 64 bits
    const Time patience = fromSeconds(model_.watchdog);
    if (unfed_ && *unfed_ >= patience) resetNow(pinLow_);
    const Time slice =
        std::min<Time>({now - now_, busy() ? busyUntil_ - now_ : kMost, unfed_ ? patience - *unfed_ : kMost, kMost});
    const std::uint64_t share = slice * model_.hz + cyclesBehind_;
    const std::uint64_t cycles = share / kSecond;
    cyclesBehind_ = share % kSecond;
    const Time end = now_ + slice;
    const Time period = kSecond / model_.hz;
    if (core_.halted() || core_.lockedUp() || core_.heldInReset()) {
      now_ = end;
      continue;
    }
    if (unfed_) *unfed_ += slice;  // a halted core stops it
    for (std::uint64_t i = 0; i < cycles; ++i) {
      now_ = std::min(end, now_ + period);
      if (core_.asleep()) {
        core_.run(cycles - i);
        break;
      }
      core_.run(1);
      if (resetAsked_) {
        resetAsked_ = false;
        resetNow(false);
      }
      if (core_.halted() || core_.lockedUp()) break;
    }
    now_ = end;
  }
}

std::optional<std::uint32_t> CoreChip::load(std::uint32_t address, unsigned bytes) {
  if (const std::uint8_t* cell = cells(address)) {
    if (busy()) violations_.add(fmt::format("core flash: read at 0x{:08x} while it is busy", address));
    return get(cell, bytes);
  }
  if (address >= model_.ramAt && address - model_.ramAt < model_.ramSize)
    return get(ram_.data() + (address - model_.ramAt), bytes);
  if (outside_ && outside_->holds(address)) return outside_->load(address, bytes, now_);
  if (isTrace(address)) return trace_->load(address, now_, traceIsOn());
  if (bytes != 4) return std::nullopt;
  if (outside_ && isIn(address, OutsideFlash::kController, OutsideFlash::kControllerSize))
    return outside_->read(address - OutsideFlash::kController, now_);
  if (uart_ && isIn(address, ChipUart::kBase, ChipUart::kSize)) return uart_->load(address - ChipUart::kBase, now_);
  if (address == kIdentity) return model_.identity;
  if (address == kStarter && later_ != nullptr) return later_->off_ ? 0 : 1;
  if (address >= kController && address < kController + kControllerSize) return controllerLoad(address - kController);
  return std::nullopt;
}

bool CoreChip::store(std::uint32_t address, unsigned bytes, std::uint32_t value) {
  if (address >= model_.ramAt && address - model_.ramAt < model_.ramSize) {
    put(ram_.data() + (address - model_.ramAt), bytes, value);
    return true;
  }
  if (cells(address) != nullptr) return program(address, bytes, value);
  if (isTrace(address)) {
    trace_->store(address, bytes, value, now_, traceIsOn());
    return true;
  }
  if (bytes == 4 && address >= kController && address < kController + kControllerSize) {
    controllerStore(address - kController, value);
    return true;
  }
  if (bytes == 4 && outside_ && isIn(address, OutsideFlash::kController, OutsideFlash::kControllerSize)) {
    outside_->write(address - OutsideFlash::kController, value, now_);
    return true;
  }
  if (bytes == 4 && uart_ && isIn(address, ChipUart::kBase, ChipUart::kSize)) {
    uart_->store(address - ChipUart::kBase, value, now_);
    return true;
  }
  if (bytes == 4 && address == kStarter && later_ != nullptr) {
    if ((value & 1) != 0 && later_->off_) {
      later_->off_ = false;
      later_->resetNow(later_->pinLow_);
    }
    return true;
  }
  if (bytes == 4 && address == kWatchdog && model_.watchdog > 0) {
    unfed_ = 0;
    return true;
  }
  return false;
}

/// But for who these parts say that they are.
bool CoreChip::isTrace(std::uint32_t address) const {
  return trace_ && SwoTrace::holds(address) && (address & 0xFFF) < 0xFCC;
}

void CoreChip::refuse(const std::string& why) {
  refused_ = true;
  violations_.add("core flash: " + why);
}

/// Is this operation carried out? It keeps the flash busy in any case.
bool CoreChip::begins(double seconds) {
  const std::uint64_t number = operations_++;
  constexpr double kForEver = 3600;
  busyUntil_ = now_ + fromSeconds(hangAt_ == number ? kForEver : seconds);
  return skipAt_ != number;
}

std::uint8_t* CoreChip::cells(std::uint32_t address) {
  if (address >= model_.flashAt && address - model_.flashAt < model_.flashSize)
    return flash_.data() + (address - model_.flashAt);
  return words_ && words_->holds(address) ? words_->bytes().data() + (address - words_->at()) : nullptr;
}

bool CoreChip::program(std::uint32_t address, unsigned bytes, std::uint32_t value) {
  if (bytes != 4 || locked_ || (control_ & kProgram) == 0) {
    refuse(fmt::format("0x{:08x} written without programming", address));
    return false;
  }
  if (busy()) {
    refuse(fmt::format("0x{:08x} written while it is busy", address));
    return true;
  }
  std::uint8_t* cell = cells(address);
  const std::uint32_t before = get(cell, 4);
  if ((value & ~before) != 0) refuse(fmt::format("0x{:08x} programmed over what is not erased", address));
  if (begins(model_.programWord)) put(cell, 4, before & value);
  ++programmed_;
  return true;
}

void CoreChip::erase(std::uint32_t address, std::uint32_t bytes, double seconds, const char* what) {
  journal_ += fmt::format("{} 0x{:08x}\n", what, address);
  if (begins(seconds)) std::fill_n(cells(address), bytes, kBlankByte);
}

std::uint32_t CoreChip::controllerLoad(std::uint32_t offset) {
  switch (offset) {
    case kControl:
      return control_ | (locked_ ? kLock : 0);
    case kStatus:
      return (busy() ? kBusy : 0) | (refused_ ? kRefused : 0);
    case kAddress:
      return address_;
    case kStart:
      return words_ ? words_->start() : 0;
    case kAccess:
      return words_ ? words_->access() : 0;
    default:
      return 0;
  }
}

void CoreChip::controllerStore(std::uint32_t offset, std::uint32_t value) {
  switch (offset) {
    case kKey:
      if (value == kSecondKey && firstKey_) locked_ = false;
      firstKey_ = value == kFirstKey;
      return;
    case kStatus:
      if ((value & kRefused) != 0) refused_ = false;
      return;
    case kAddress:
      address_ = value;
      return;
    case kControl:
      break;
    default:
      return;
  }
  if ((value & kLock) != 0) {
    locked_ = true;
    control_ = 0;
    return;
  }
  if (locked_) return refuse("control written while it is locked");
  if (busy()) return refuse("control written while it is busy");
  control_ = value & (kProgram | kEraseSector | kEraseAll);
  if ((value & kGo) == 0) return;
  if ((control_ & kEraseAll) != 0) return erase(model_.flashAt, model_.flashSize, model_.eraseAll, "erase-all");
  if ((control_ & kEraseSector) == 0) return refuse("started with nothing to do");
  if (words_ && words_->holds(address_)) return erase(words_->at(), CoreWords::kSize, model_.eraseSector, "erase");
  const std::uint32_t at = address_ - model_.flashAt;
  if (address_ < model_.flashAt || at >= model_.flashSize)
    return refuse(fmt::format("erase of 0x{:08x}, which is none of its addresses", address_));
  erase(model_.flashAt + at / model_.sector * model_.sector, model_.sector, model_.eraseSector, "erase");
}

std::optional<std::uint32_t> CoreChip::debugLoad(std::uint32_t address, unsigned bytes) {
  constexpr std::uint32_t kIdentification = 0xE000EFCC, kPcSample = 0xE000101C;
  if (bytes == 4 && address == kPcSample)
    return core_.halted() || core_.asleep() || core_.heldInReset() ? 0xFFFFFFFF : core_.pc();
  if (bytes == 4 && !isTrace(address) && (address < ArmCore::kSystemSpace || address >= kIdentification)) {
    if (const auto word = debugPartWord(address, trace_.has_value())) return word;
  }
  if (address >= ArmCore::kSystemSpace && address < ArmCore::kSystemEnd) {
    const std::uint32_t word = core_.systemLoad(address & ~3u, true);
    return word >> (8 * (address & 3)) & (bytes == 4 ? ~0u : (1u << (8 * bytes)) - 1);
  }
  return load(address, bytes);
}

bool CoreChip::debugStore(std::uint32_t address, unsigned bytes, std::uint32_t value) {
  if (address < ArmCore::kSystemSpace || address >= ArmCore::kSystemEnd) return store(address, bytes, value);
  core_.systemStore(address & ~3u, value, true);
  if (resetAsked_) {
    resetAsked_ = false;
    resetNow(pinLow_);
  }
  return true;
}

std::string CoreChip::journal() const {
  return journal_;
}

}  // namespace imprimo::sim
