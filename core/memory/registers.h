// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/base/range_set.h"

namespace imprimo::memory {

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
struct Register {
  std::string name;
  std::string access;  ///< how it is read and written: "read by 0x05, written by 0x01"
  bool canWrite = false;
  std::vector<RegisterBits> bits;  ///< not overlapping; bits that none names can be written all the same
  /// Bits that a write can change.
  std::uint8_t writable() const;
  /// Bits that can never be cleared again.
  std::uint8_t once() const;
  friend bool operator==(const Register&, const Register&) = default;
};

/// Index of the register of that name; throws Usage naming those that there are.
std::size_t registerNamed(const std::vector<Register>& registers, const std::string& name);

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

/// The registers of a memory that has some; an ability (memory.h).
class Registers {
 public:
  virtual ~Registers() = default;
  /// Values in the order of Identity::registers, read now. Throws LinkLost where two reads differ.
  virtual const std::vector<std::uint8_t>& read() = 0;
  /// As they were read last; empty before that.
  virtual const std::vector<std::uint8_t>& values() const = 0;
  /// Writes one, waits, and reads all back. Throws Usage for one that can only be read, and Refused when the part did
  /// not take it and holds what it held; after any other error it may hold the one or the other.
  virtual void write(std::size_t index, std::uint8_t value) = 0;
};

}  // namespace imprimo::memory
