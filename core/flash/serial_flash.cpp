// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/serial_flash.h"

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::flash {

SerialFlash::SerialFlash(spi::SpiPort& port, const FlashIdentity& flash, std::string name)
    : SpiNor(port, identityOf(flash), flash.commands, std::move(name), flash.found),
      registers_(flash.registers),
      ready_(flash.commands.ready) {}

SerialFlash::~SerialFlash() {
  try {
    SerialFlash::leaveModes();
  } catch (const Error&) {
    // The link is gone; what was switched on goes with the supply.
  }
}

void SerialFlash::identified(const FlashIdentity& flash) {
  setIdentity(identityOf(flash));
  setFound(flash.found);
  registers_ = flash.registers;
}

std::optional<std::size_t> SerialFlash::lineRegister() const {
  constexpr unsigned kFour = 4;
  const auto& quad = commands().quad;
  if (!quad || quad->mask == 0 || quad->volatileEnable == 0) return std::nullopt;
  const auto& reads = commands().wideReads;
  if (std::none_of(reads.begin(), reads.end(), [](const WideCommand& c) { return c.dataLines == kFour; }))
    return std::nullopt;
  const auto found = std::find_if(registers_.begin(), registers_.end(),
                                  [&](const FlashRegister& r) { return r.name == quad->inRegister && r.write; });
  if (found == registers_.end()) return std::nullopt;
  return static_cast<std::size_t>(found - registers_.begin());
}

/// A write that the part forgets with its supply: nothing of it wears.
void SerialFlash::writeLines(std::size_t index, std::uint8_t value) {
  std::vector<FlashRegister> registers = registers_;
  registers[index].enable = commands().quad->volatileEnable;
  wasEnabled();
  writeRegister(port(), registers, index, value, ready_);
}

void SerialFlash::switchLinesOn() {
  constexpr unsigned kFour = 4;
  const auto index = lineRegister();
  if (port().lines() < kFour || !index || linesBefore()) return;
  const std::uint8_t now = readRegisters(port(), registers_).at(*index), mask = commands().quad->mask;
  if ((now & mask) != 0) return;
  linesBefore() = std::pair{registers_[*index].name, now};
  forgetWide();
  try {
    writeLines(*index, now | mask);
  } catch (const Error& e) {
    // One that does not take it is read over two lines, and holds what it held.
    if (e.kind() != ErrorKind::Refused) throw;
    linesBefore().reset();
  }
}

void SerialFlash::switchLinesOff() {
  if (!linesBefore()) return;
  const auto index = lineRegister();
  if (index && registers_[*index].name == linesBefore()->first &&
      readRegisters(port(), registers_).at(*index) != linesBefore()->second)
    writeLines(*index, linesBefore()->second);
  linesBefore().reset();
  forgetWide();
}

void SerialFlash::enterModes() {
  SpiNor::enterModes();
  switchLinesOn();
}

void SerialFlash::leaveModes() {
  switchLinesOff();
  SpiNor::leaveModes();
}

/// What is switched on meanwhile is nobody's business.
const std::vector<std::uint8_t>& SerialFlash::read() {
  values_ = readRegisters(port(), registers_);
  if (const auto index = lineRegister(); index && linesBefore()) {
    const std::uint8_t mask = commands().quad->mask;
    values_[*index] = static_cast<std::uint8_t>((values_[*index] & ~mask) | (linesBefore()->second & mask));
  }
  return values_;
}

/// Registers that are written together keep what they hold, and for good: so four lines are switched off before.
void SerialFlash::write(std::size_t index, std::uint8_t value) {
  const bool on = linesBefore().has_value();
  switchLinesOff();
  wasEnabled();
  forgetWide();
  values_ = writeRegister(port(), registers_, index, value, ready_);
  if (on) switchLinesOn();
}

}  // namespace imprimo::flash
