// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/flash/sfdp.h"
#include "core/memory/registers.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// A status or configuration register of one byte.
struct FlashRegister {
  std::string name;
  std::uint8_t read = 0x05;
  std::optional<std::uint8_t> write;  ///< the command; nothing: it cannot be written
  std::uint8_t enable = 0x06;         ///< goes before it
  std::vector<std::string> together;  ///< registers that one write takes in this order; empty: only this one
  std::vector<memory::RegisterBits> bits;
  memory::Register described() const;
  friend bool operator==(const FlashRegister&, const FlashRegister&) = default;
};

/// How a part is asked for a number that no other one has.
struct UniqueIdCommand {
  std::uint8_t command = 0x4B;
  unsigned dummyBytes = 4;
  unsigned bytes = 8;
  friend bool operator==(const UniqueIdCommand&, const UniqueIdCommand&) = default;
};

/// The registers that a part without a card has, as far as its parameter table tells: status 1, and those that the quad
/// enable bit is in (JESD216F, DWORD 15, bits 22 to 20).
std::vector<FlashRegister> standardRegisters(const FlashFacts& facts);

std::vector<memory::Register> described(const std::vector<FlashRegister>& registers);

/// Each register twice; throws LinkLost where a bit other than a read-only one changes.
std::vector<std::uint8_t> readRegisters(spi::SpiPort& port, const std::vector<FlashRegister>& registers);

/// Writes one register, waits, and reads all back. Those written together keep their value. Throws Refused when the
/// part did not take it and holds what it held; after any other error (NotProgrammed where it took some of the bits,
/// LinkLost) it may hold the one or the other. Returns all values.
std::vector<std::uint8_t> writeRegister(spi::SpiPort& port, const std::vector<FlashRegister>& registers,
                                        std::size_t index, std::uint8_t value, const ReadyCheck& ready);

Bytes readUniqueId(spi::SpiPort& port, const UniqueIdCommand& command);

}  // namespace imprimo::flash
