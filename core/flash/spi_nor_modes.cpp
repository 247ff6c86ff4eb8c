// SPDX-License-Identifier: GPL-3.0-or-later
//
// The modes of a serial flash: how many address bytes it takes, its register for the upper one, its sleep and its write
// enable (JESD216F, basic table DWORD 16, bits 31 to 14). All of them are volatile. They are set with every batch, so
// that a part that lost its supply in between is never given an address that it takes for another one.
#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/flash/spi_nor.h"
#include "core/flash/spi_nor_commands.h"

namespace imprimo::flash {
namespace {

constexpr std::uint8_t kEnabled = 0x02, kBankFourByte = 0x80, kNobody = 0xFF;
constexpr std::size_t kMostTelling = 4;

/// The register that holds the upper address byte, where a part has one.
std::optional<std::uint8_t> upperRegister(const memory::Geometry& geometry, FourByteEntry way) {
  if (geometry.size <= kThreeByteReach) return std::nullopt;
  if (way == FourByteEntry::SegmentRegister) return command::kReadSegment;
  if (way == FourByteEntry::BankRegister) return command::kReadBank;
  return std::nullopt;
}

bool changesAddressMode(const memory::Geometry& geometry, FourByteEntry way) {
  return geometry.size > kThreeByteReach &&
         (way == FourByteEntry::Command || way == FourByteEntry::WriteEnableThenCommand);
}

}  // namespace

FoundModes findModes(spi::SpiPort& port, const memory::Geometry& geometry, FourByteEntry way) {
  FoundModes found;
  const auto upper = upperRegister(geometry, way);
  spi::SpiBatch batch;
  // Twice, since a command that the part missed reads as a line that nobody drives.
  for (int i = 0; i < 2; ++i) {
    batch.exchange({command::kReadStatus}, 1);
    batch.exchange({upper.value_or(command::kReadStatus)}, 1);
  }
  const spi::SpiAnswers answers = port.run(batch);
  const auto once = [&](std::size_t item) { return answers.answers.at(item).at(0); };
  found.writeEnabled = (once(0) & once(2) & kEnabled) != 0 && once(0) != kNobody && once(2) != kNobody;
  if (upper && once(1) != once(3)) {
    throw Error(ErrorKind::Refused,
                fmt::format("the register for the upper address byte changes from read to read: {}, then {}",
                            hexByte(once(1)), hexByte(once(3))),
                "Lower the clock or shorten the cable.");
  }
  if (upper && once(1) != kNobody) found.upper = once(1);
  if (changesAddressMode(geometry, way)) found.address = addressModeOf(port, spreadSpots(geometry.size));
  return found;
}

std::string SpiNor::foundModes() const {
  return modesText(found_);
}

void SpiNor::setFoundModes(const std::string& json) {
  setFound(parseModes(json));
}

void SpiNor::setFound(const FoundModes& found) {
  found_ = found;
  takeWay();
}

void SpiNor::takeWay() {
  enter_.clear();
  leave_.clear();
  fourByte_ = commands_.fourByte == FourByteEntry::Always;
  wide_ = WideWay(port_.lines(), commands_, commands_.fourByte == FourByteEntry::OwnCommands);
  fourKnown_ = false;
  if (geometry_.size <= kThreeByteReach) return;
  switch (commands_.fourByte) {
    case FourByteEntry::Command:
      enter_ = {{command::kEnterFourByte}};
      leave_ = {{command::kLeaveFourByte}};
      break;
    case FourByteEntry::WriteEnableThenCommand:
      enter_ = {{command::kWriteEnable}, {command::kEnterFourByte}};
      leave_ = {{command::kWriteEnable}, {command::kLeaveFourByte}};
      break;
    case FourByteEntry::BankRegister:
      enter_ = {{command::kWriteBank, kBankFourByte}};
      leave_ = {{command::kWriteBank, found_.upper.value_or(0)}};
      break;
    case FourByteEntry::SegmentRegister:
      leave_ = {{command::kWriteEnable}, {command::kWriteSegment, found_.upper.value_or(0)}};
      break;
    case FourByteEntry::Always:
    case FourByteEntry::OwnCommands:
    case FourByteEntry::NotNeeded:
    case FourByteEntry::Unknown:
      break;
  }
  fourByte_ = commands_.fourByte != FourByteEntry::Unknown && commands_.fourByte != FourByteEntry::SegmentRegister;
}

void SpiNor::proveRegister(Batch& batch, std::uint8_t read, std::uint8_t mask, std::uint8_t value) const {
  if (!found_.upper) return;
  batch.modeGuards.push_back(batch.items.guard({read, mask, value, 1}));
}

void SpiNor::setModes(Batch& batch) const {
  if (found_.asleep) {
    batch.items.exchange({found_.asleep->leave});
    batch.items.wait({inMicroseconds(found_.asleep->wake)});
  }
  for (const Bytes& bytes : enter_) batch.items.exchange(bytes);
  if (commands_.fourByte == FourByteEntry::BankRegister && geometry_.size > kThreeByteReach)
    proveRegister(batch, command::kReadBank, kBankFourByte, kBankFourByte);
}

/// A file of vectors says once for each step what a live port says with every batch.
SpiNor::Batch SpiNor::begin() const {
  Batch batch;
  if (waitsLongest_) return batch;
  setModes(batch);
  // What is switched on for as long as the supply lasts is gone with it.
  constexpr unsigned kFour = 4;
  if (found_.lines && wide_.read() != nullptr && wide_.read()->dataLines == kFour)
    batch.linesGuard = batch.items.guard({commands_.quad->read, commands_.quad->mask, commands_.quad->mask, 1});
  return batch;
}

void SpiNor::selectSegment(Batch& batch, std::uint64_t address) const {
  if (commands_.fourByte != FourByteEntry::SegmentRegister) return;
  const auto wanted = static_cast<std::uint8_t>(address >> 24);
  if (batch.segment == wanted) return;
  batch.items.exchange({command::kWriteEnable});
  batch.items.exchange({command::kWriteSegment, wanted});
  if (!waitsLongest_) proveRegister(batch, command::kReadSegment, 0xFF, wanted);
  batch.segment = wanted;
}

spi::SpiAnswers SpiNor::run(const Batch& batch) const {
  spi::SpiAnswers answers = port_.run(batch.items);
  if (answers.heldAt && answers.heldAt == batch.linesGuard)
    throw Error(ErrorKind::Refused,
                fmt::format("{} no longer takes four lines, which were switched on in its {}: it may have lost its "
                            "supply",
                            name_, commands_.quad->inRegister),
                "No command with an address was sent after it. Connect again.");
  if (answers.heldAt &&
      std::find(batch.modeGuards.begin(), batch.modeGuards.end(), *answers.heldAt) != batch.modeGuards.end()) {
    throw Error(ErrorKind::Refused,
                fmt::format("{} did not take the upper byte of its addresses: its register reads {}", name_,
                            hexByte(answers.answers.at(*answers.heldAt).back())),
                "No command with an address was sent after it. Check the part card's \"four_byte\".");
  }
  return answers;
}

void SpiNor::enterModes() {
  entered_ = true;
  if (enter_.empty() && !found_.asleep) return;
  Batch batch;
  setModes(batch);
  run(batch);
  if (!waitsLongest_) requireFourBytes(0);
}

void SpiNor::requireFourBytes(std::uint64_t address) {
  entered_ = true;
  if (!changesAddressMode(geometry_, commands_.fourByte) || waitsLongest_) return;
  Batch batch = begin();
  if (!batch.items.items().empty()) run(batch);
  AddressMode mode = AddressMode::Untold;
  const std::vector<std::uint64_t> there{spotNear(address, geometry_.size)};
  if (address != 0) mode = addressModeOf(port_, there);
  if (mode == AddressMode::Untold && !telling_.empty()) {
    const std::vector<std::uint64_t> known = telling_;
    mode = addressModeOf(port_, known);
  }
  if (mode == AddressMode::Untold) {
    mode = addressModeOf(port_, spreadSpots(geometry_.size), &telling_);
    telling_.resize(std::min(telling_.size(), kMostTelling));
  }
  if (mode != AddressMode::ThreeBytes) return;
  throw Error(ErrorKind::Refused, fmt::format("{} takes three address bytes although it was brought to four", name_),
              "Check the part card's \"four_byte\", or switch the board off and on.")
      .stoodAt(address);
}

void SpiNor::putAddressModeBack() {
  const bool stays = changesAddressMode(geometry_, commands_.fourByte) && found_.address == AddressMode::FourBytes;
  if (leave_.empty() || stays) return;
  spi::SpiBatch batch;
  for (const Bytes& bytes : leave_) batch.exchange(bytes);
  const auto upper = upperRegister(geometry_, commands_.fourByte);
  const bool proves = upper && found_.upper && !waitsLongest_;
  const std::size_t item = proves ? batch.exchange({*upper}, 1) : 0;
  const spi::SpiAnswers answers = port_.run(batch);
  const bool otherwise = proves ? answers.answers.at(item).at(0) != *found_.upper
                                : !waitsLongest_ && !telling_.empty() &&
                                      addressModeOf(port_, std::vector(telling_)) == AddressMode::FourBytes;
  if (!otherwise) return;
  throw Error(ErrorKind::Refused, fmt::format("{} did not leave its 4-byte addresses", name_),
              "Switch the board off and on.");
}

/// An erase or program command that the part missed leaves its write enable behind, and the next stray byte would find
/// it.
void SpiNor::putEnableBack() {
  if (!enabled_ || waitsLongest_) return;
  const ReadyCheck& r = commands_.ready;
  spi::SpiBatch batch;
  batch.guard({r.command, r.mask, r.value, 1});
  batch.exchange({found_.writeEnabled ? command::kWriteEnable : command::kWriteDisable});
  const std::size_t item = batch.exchange({command::kReadStatus}, 1);
  const spi::SpiAnswers answers = port_.run(batch);
  if (answers.heldAt) return;  // it is busy, and will clear the enable when it has ended
  if (((answers.answers.at(item).at(0) & kEnabled) != 0) == found_.writeEnabled) return;
  throw Error(ErrorKind::Refused, fmt::format("{} does not clear its write enable", name_),
              "Switch the board off and on.");
}

void SpiNor::leaveModes() {
  if (!entered_) return;
  for (const auto* commands : {&enter_, &leave_}) {
    for (const Bytes& bytes : *commands) enabled_ = enabled_ || bytes.front() == command::kWriteEnable;
  }
  putAddressModeBack();
  putEnableBack();
  if (found_.asleep) {
    spi::SpiBatch batch;
    batch.exchange({found_.asleep->enter});
    port_.run(batch);
  }
  entered_ = enabled_ = false;
}

SpiNor::~SpiNor() {
  try {
    SpiNor::leaveModes();  // what derives from it has its own part behind it
  } catch (const Error&) {
    // The link is gone; the part leaves its modes when its supply does.
  }
}

}  // namespace imprimo::flash
