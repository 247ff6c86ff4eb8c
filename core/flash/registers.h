// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/base/range_set.h"
#include "core/flash/sfdp.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// Some bits of a register with a name.
struct RegisterBits {
  int high = 0, low = 0;
  std::string name;
  std::string what;  ///< in words; may be empty
  bool readOnly = false;
  bool once = false;  ///< what was set stays set for ever
  std::uint8_t mask() const { return static_cast<std::uint8_t>(((1u << (high - low + 1)) - 1) << low); }
  std::uint8_t of(std::uint8_t value) const { return static_cast<std::uint8_t>((value & mask()) >> low); }
  friend bool operator==(const RegisterBits&, const RegisterBits&) = default;
};

/// "4..2", or "7" for a single bit, as people and cards write them.
std::string bitsText(int high, int low);
/// The other way round, for a register of one byte; nothing for anything else.
std::optional<std::pair<int, int>> parseBits(std::string_view text);

/// A status or configuration register of one byte.
struct FlashRegister {
  std::string name;
  std::uint8_t read = 0x05;
  std::optional<std::uint8_t> write;  ///< the command; nothing: it cannot be written
  std::uint8_t enable = 0x06;         ///< goes before it
  std::vector<std::string> together;  ///< registers that one write takes in this order; empty: only this one
  std::vector<RegisterBits> bits;     ///< not overlapping; bits that none names can be written all the same
  /// Bits that a write can change.
  std::uint8_t writable() const;
  std::uint8_t once() const;
  friend bool operator==(const FlashRegister&, const FlashRegister&) = default;
};

/// Which field of which register protects which addresses.
struct Protection {
  struct Level {
    std::uint8_t value = 0;  ///< of the field
    std::vector<AddressRange> ranges{};
    friend bool operator==(const Level&, const Level&) = default;
  };
  std::string inRegister;
  int high = 0, low = 0;
  std::vector<Level> levels;
  RegisterBits bits() const { return {high, low, {}, {}, false, false}; }
  /// What a register's value protects; nothing for a value that no level has.
  const Level* levelOf(std::uint8_t registerValue) const;
  /// The level that protects most and nothing of `changes`; null where every one protects some of it.
  const Level* openFor(const RangeSet& changes) const;
  friend bool operator==(const Protection&, const Protection&) = default;
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

/// Index of the register of that name; throws Usage naming those that there are.
std::size_t registerNamed(const std::vector<FlashRegister>& registers, const std::string& name);

/// Each register twice; throws LinkLost where a bit other than a read-only one changes.
std::vector<std::uint8_t> readRegisters(spi::SpiPort& port, const std::vector<FlashRegister>& registers);

/// Writes one register, waits, and reads all back. Those written together keep their value. Throws Refused when the
/// part did not take it and holds what it held; after any other error (NotProgrammed where it took some of the bits,
/// LinkLost) it may hold the one or the other. Returns all values.
std::vector<std::uint8_t> writeRegister(spi::SpiPort& port, const std::vector<FlashRegister>& registers,
                                        std::size_t index, std::uint8_t value, const memory::ReadyCheck& ready);

Bytes readUniqueId(spi::SpiPort& port, const UniqueIdCommand& command);

}  // namespace imprimo::flash
