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

namespace {

constexpr unsigned kFourLines = 4;

bool hasFourLines(const NorCommands& commands) {
  return commands.quad && commands.quad->mask != 0 && commands.quad->volatileEnable != 0 &&
         std::any_of(commands.wideReads.begin(), commands.wideReads.end(),
                     [](const WideCommand& command) { return command.dataLines == kFourLines; });
}

}  // namespace

/// A write that the part forgets with its supply: nothing of it wears.
void SerialFlash::writeLines(std::uint8_t value) {
  std::vector<FlashRegister> registers = registers_;
  const std::size_t index = memory::registerNamed(described(registers), commands().quad->inRegister);
  registers[index].enable = commands().quad->volatileEnable;
  wasEnabled();
  writeRegister(port(), registers, index, value, ready_);
  forgetWide();
}

void SerialFlash::enterModes() {
  SpiNor::enterModes();
  if (port().lines() < kFourLines || !hasFourLines(commands()) || linesBefore()) return;
  const QuadEnable& quad = *commands().quad;
  const auto isIt = [&](const FlashRegister& reg) { return reg.name == quad.inRegister && reg.write; };
  if (std::none_of(registers_.begin(), registers_.end(), isIt)) return;
  const std::vector<std::uint8_t> values = readRegisters(port(), registers_);
  const std::uint8_t now = values.at(memory::registerNamed(described(registers_), quad.inRegister));
  if ((now & quad.mask) != 0) return;
  linesBefore() = std::pair{quad.inRegister, now};
  try {
    writeLines(now | quad.mask);
  } catch (const Error& e) {
    // One that does not take it is read over two lines, and holds what it held.
    if (e.kind() != ErrorKind::Refused) throw;
    linesBefore().reset();
  }
}

void SerialFlash::leaveModes() {
  if (linesBefore()) {
    const std::uint8_t before = linesBefore()->second;
    const std::vector<std::uint8_t> values = readRegisters(port(), registers_);
    const std::uint8_t now = values.at(memory::registerNamed(described(registers_), linesBefore()->first));
    if (now != before) writeLines(before);
    linesBefore().reset();
    forgetWide();
  }
  SpiNor::leaveModes();
}

const std::vector<std::uint8_t>& SerialFlash::read() {
  return values_ = readRegisters(port(), registers_);
}

void SerialFlash::write(std::size_t index, std::uint8_t value) {
  wasEnabled();
  forgetWide();
  values_ = writeRegister(port(), registers_, index, value, ready_);
}

}  // namespace imprimo::flash
