// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/spi_flash.h"

#include <fmt/format.h>

#include <algorithm>

#include "sim/flash_commands.h"
#include "sim/sfdp_table.h"

namespace imprimo::sim {

SpiFlash::SpiFlash(FlashModel model, Violations& violations)
    : model_(std::move(model)),
      violations_(violations),
      cells_(model_.size),
      sfdp_(sfdpTable(model_)),
      asleep_(model_.asleep) {}

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
  if (const WideOperation* wide = wideOperation()) {
    const bool four = wide->fourByte || fourByteMode_ || model_.fourByte == FlashModel::FourByte::Always;
    return four ? 4 : 3;
  }
  if (received_[0] == kReadSfdp) return 3;
  if (received_[0] == kReadAny) return 3;
  if (alwaysFour(received_[0])) return 4;
  if (!takesAddress(received_[0])) return 0;
  return fourByteMode_ || model_.fourByte == FlashModel::FourByte::Always ? 4 : 3;
}

std::uint64_t SpiFlash::address() const {
  std::uint64_t a = 0;
  for (std::size_t i = 1; i <= addressBytes(); ++i) a = a << 8 | received_[i];
  if (addressBytes() == 3 && model_.fourByte == FlashModel::FourByte::SegmentRegister)
    a |= static_cast<std::uint64_t>(segment_) << 24;
  if (addressBytes() == 3 && model_.fourByte == FlashModel::FourByte::BankRegister)
    a |= static_cast<std::uint64_t>(bank_) << 24;
  return a % model_.size;  // higher bits are not looked at
}

const WideOperation* SpiFlash::wideOperation() const {
  if (received_.empty()) return nullptr;
  const WideOperation* wide = wideOperationOf(received_[0]);
  if (wide == nullptr || wide->dataLines > model_.lines || (wide->dataLines == 4 && !fourLines())) return nullptr;
  return wide;
}

std::size_t SpiFlash::headerBytes() const {
  const WideOperation* wide = wideOperation();
  if (wide != nullptr) return 1 + addressBytes() + wide->modeClocks * wide->addressLines / 8;
  return 1 + addressBytes() + (hasDummy(received_[0]) ? 1 : 0);
}

SpiFlash::Phase SpiFlash::phase() const {
  if (!selected_ || received_.empty()) return {};
  if (const WideOperation* wide = wideOperation()) {
    if (received_.size() < headerBytes()) return {wide->addressLines, false, 0};
    const bool first = readCount_ == 0;
    return {wide->dataLines, !wide->programs && !ignored_, first && !wide->programs ? wide->dummyClocks : 0};
  }
  const bool answering =
      reads(received_[0]) && !ignored_ &&
      (addressBytes() == 0 ? received_[0] != kReadUnique || received_.size() >= 5 : received_.size() >= headerBytes());
  return {1, answering, 0};
}

SpiFlash::AddressMode SpiFlash::addressMode() const {
  return {fourByteMode_, model_.fourByte == FlashModel::FourByte::BankRegister ? bank_ : segment_};
}

void SpiFlash::setAddressMode(bool fourBytes, std::uint8_t upper) {
  using FourByte = FlashModel::FourByte;
  const FourByte way = model_.fourByte;
  if (!large()) return;
  if (way == FourByte::Command || way == FourByte::EnableThenCommand || way == FourByte::BankRegister)
    fourByteMode_ = fourBytes;
  if (way == FourByte::SegmentRegister) segment_ = upper;
  if (way == FourByte::BankRegister && !fourBytes) bank_ = upper;
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
  const std::uint8_t byte = answer(now);
  const WideOperation* wide = wideOperation();
  if (received_.empty() || ignored_ || (!reads(received_[0]) && (wide == nullptr || wide->programs))) return byte;
  return ++answerBytes_ == corruptOut_.at ? byte ^ corruptOut_.mask : byte;
}

std::uint8_t SpiFlash::answer(Time now) {
  if (!selected_ || ignored_ || received_.empty()) return 0xFF;
  if (const WideOperation* wide = wideOperation(); wide != nullptr && !wide->programs)
    return received_.size() < headerBytes() ? 0xFF : nextCell();
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
    case kReadStatus2:
      return model_.twoRegisters ? status2_ : 0xFF;
    case kReadSegment:
      return large() && model_.fourByte == FlashModel::FourByte::SegmentRegister ? segment_ : 0xFF;
    case kReadBank:
      if (!large() || model_.fourByte != FlashModel::FourByte::BankRegister) return 0xFF;
      return static_cast<std::uint8_t>((fourByteMode_ ? 0x80 : 0) | bank_);
    case kReadUnique: {
      if (received_.size() < 5 || model_.uniqueId.empty()) return 0xFF;
      return model_.uniqueId[readCount_++ % model_.uniqueId.size()];
    }
    case kReadAny:
      // Bit 3 of the configuration: which of the sector maps holds.
      return received_.size() < 5 ? 0xFF : 0x08;
    case kRead:
    case kRead4:
    case kFastRead:
    case kReadSfdp: {
      if (received_.size() < headerBytes()) return 0xFF;
      if (received_[0] == kReadSfdp) {
        const std::uint64_t at = (received_[1] << 16 | received_[2] << 8 | received_[3]) + readCount_++;
        return at < sfdp_.size() ? sfdp_[at] : 0xFF;
      }
      return nextCell();
    }
    default:
      return 0xFF;
  }
}

std::uint8_t SpiFlash::nextCell() {
  if (readCount_ == 0) readAt_ = address();
  ++readCount_;
  const std::uint8_t value = cells_.get(readAt_);
  readAt_ = (readAt_ + 1) % model_.size;
  return value;
}

void SpiFlash::begin(std::uint8_t command) {
  ++commands_[command];
  if (++commandCount_ == ignoreAt_) {
    ignored_ = true;
    return;
  }
  if (asleep_ && command == kWake) {
    asleep_ = false;
    wakesAt_ = selectedAt_ + fromSeconds(30e-6);
    return;
  }
  if (asleep_ || selectedAt_ < wakesAt_) {
    if (!asleep_) violate(fmt::format("command 0x{:02X} while it wakes up", command));
    ignored_ = true;
    return;
  }
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
  const WideOperation* wide = wideOperation();
  if (received_.size() < headerBytes()) {
    received_.push_back(mosi);
    // JESD216F 6.4.18: 0-4-4 mode is entered by A5h and the like, in which the nibbles complement each other.
    if (wide != nullptr && received_.size() > 1 + addressBytes() && ((mosi >> 4 ^ mosi) & 0x0F) == 0x0F)
      violate(fmt::format("command 0x{:02X} is kept by its mode byte 0x{:02X}", received_[0], mosi));
  } else if (received_[0] == kProgram || received_[0] == kProgram4 || (wide != nullptr && wide->programs)) {
    if (++dataBytes_ == corruptIn_.at) mosi ^= corruptIn_.mask;
    pageBuffer_[(address() + dataIn_) % model_.page] = mosi;
    ++dataIn_;
  } else if (takesData(received_[0]) && received_.size() < 5) {
    received_.push_back(mosi);
  }
}

void SpiFlash::deselect(Time now, int strayBits) {
  if (!selected_) return;
  selected_ = false;
  if (received_.empty() || ignored_) return;
  const std::uint8_t c = received_[0];
  const WideOperation* wide = wideOperation();
  if (reads(c) || (wide != nullptr && !wide->programs)) {
    if (c == kRead || c == kRead4 || c == kFastRead || wide != nullptr)
      journal_.push_back({"read", readCount_, readCount_ == 0 ? 0 : address()});
    return;
  }
  if (strayBits != 0) return violate(fmt::format("command 0x{:02X} cut off inside a byte", c));
  execute(now);
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
