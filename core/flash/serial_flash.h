// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/flash/spi_nor.h"
#include "core/flash/spi_nor_identity.h"

namespace imprimo::flash {

/// A serial flash that was identified, with all that is known of it: SpiNor and its registers.
class SerialFlash : public SpiNor, public memory::Registers {
 public:
  SerialFlash(spi::SpiPort& port, const FlashIdentity& flash, std::string name);
  ~SerialFlash() override;
  /// It was identified once more and is the same part; what was learnt of its times stays.
  void identified(const FlashIdentity& flash);

  memory::Registers* registers() override { return this; }
  const std::vector<std::uint8_t>& read() override;
  const std::vector<std::uint8_t>& values() const override { return values_; }
  /// See flash::writeRegister.
  void write(std::size_t index, std::uint8_t value) override;
  using SpiNor::read;
  /// Where the port has four lines, they are switched on too, if that can be done for as long as the supply lasts; and
  /// off again, as they were found.
  void enterModes() override;
  void leaveModes() override;

 private:
  /// Index of the register in which four lines are switched on for as long as the supply lasts; nothing where port or
  /// part have not that.
  std::optional<std::size_t> lineRegister() const;
  void writeLines(std::size_t index, std::uint8_t value);
  void switchLinesOn();
  void switchLinesOff();

  std::vector<FlashRegister> registers_;
  ReadyCheck ready_;
  std::vector<std::uint8_t> values_;
};

}  // namespace imprimo::flash
