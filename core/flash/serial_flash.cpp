// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/serial_flash.h"

namespace imprimo::flash {

SerialFlash::SerialFlash(spi::SpiPort& port, const FlashIdentity& flash, std::string name)
    : SpiNor(port, identityOf(flash), flash.commands, std::move(name), flash.found),
      registers_(flash.registers),
      ready_(flash.commands.ready) {}

void SerialFlash::identified(const FlashIdentity& flash) {
  setIdentity(identityOf(flash));
  setFound(flash.found);
  registers_ = flash.registers;
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
