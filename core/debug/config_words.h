// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/debug/core_lock.h"

namespace imprimo::debug {

/// What a value does to whoever wrote it.
enum class Harm : std::uint8_t {
  None,
  ShutsOut,  ///< the probe is kept out until something destroys what the chip holds
  Permanent  ///< and nothing takes it back
};

/// What a value of some bits means.
struct FieldValue {
  std::optional<std::uint32_t> value;  ///< of the field; nothing: every other one
  std::string means;
  Harm harm = Harm::None;
};

/// Some bits of a configuration word with a name.
struct WordField {
  unsigned high = 0, low = 0;
  std::string name;
  std::string what;  ///< in words; may be empty
  std::vector<FieldValue> values;
  std::uint32_t most() const { return static_cast<std::uint32_t>((std::uint64_t{1} << (high - low + 1)) - 1); }
  std::uint32_t mask() const { return most() << low; }
  std::uint32_t of(std::uint32_t word) const { return (word & mask()) >> low; }
  /// The word with this field's bits set to `value`.
  std::uint32_t in(std::uint32_t word, std::uint32_t value) const { return (word & ~mask()) | value << low; }
  /// What the card says of a value; null where it says nothing.
  const FieldValue* meaning(std::uint32_t value) const;
};

/// One access that writes a configuration word.
struct WordStep {
  enum class Takes : std::uint8_t { Value, Word, Partner };
  ChipStep step{};
  Takes takes = Takes::Value;  ///< what is written: the step's value, the word's new value, or its complement
};

/// A word that decides how a chip starts, and who may look into it (docs/formats/core-card.md).
struct ConfigWord {
  /// What makes a new value count.
  enum class Valid : std::uint8_t { Reset, PowerCycle, AtOnce };

  std::string name;
  std::uint32_t at = 0;
  unsigned bits = 32;                           ///< 8, 16 or 32
  std::vector<WordField> fields;                ///< not overlapping
  std::optional<std::uint32_t> factory;         ///< as the chip is delivered
  std::optional<std::uint32_t> complementAt{};  ///< where its complement is kept, as wide as it is
  bool hasCheckBits = false;                    ///< the chip keeps some of its own; a word that was half written faults
  std::string region{};                         ///< a flash region in which it lies, whose algorithm writes it; or
  std::vector<WordStep> steps{};                ///< what writes it
  Valid valid = Valid::Reset;

  std::uint32_t mask() const { return static_cast<std::uint32_t>((std::uint64_t{1} << bits) - 1); }
  std::uint32_t bytes() const { return bits / 8; }
  AddressRange range() const { return {at, std::uint64_t{at} + bytes()}; }
  /// Where its complement is; empty where it has none.
  AddressRange partner() const {
    return complementAt ? AddressRange{*complementAt, std::uint64_t{*complementAt} + bytes()} : AddressRange{};
  }
  std::uint32_t complementOf(std::uint32_t value) const { return ~value & mask(); }
  /// Throws Usage naming those that there are.
  const WordField& field(const std::string& wanted) const;
  std::string hex(std::uint32_t value) const;  ///< "0x00FF"
};

/// What a value of a word would do, with the fields that do it.
struct WordHarm {
  Harm harm = Harm::None;
  std::string why;  ///< "debug 0xC3: the debug port is closed permanently"
};
WordHarm harmOf(const ConfigWord& word, std::uint32_t value);

/// "debug 0x5A (closed until all is erased), start 3", for people.
std::string fieldsText(const ConfigWord& word, std::uint32_t value);

/// The words of a card. Throws BadFile with file and line.
std::vector<ConfigWord> readConfigWords(const JsonNode& list);

}  // namespace imprimo::debug
