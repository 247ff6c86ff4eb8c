// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <filesystem>
#include <functional>
#include <map>

#include "core/units/definition.h"

namespace imprimo::units {

/// What one field of one unit holds.
struct Value {
  std::string text;  ///< as people read it
  Bytes bytes;       ///< as it stands in the memory
  friend bool operator==(const Value&, const Value&) = default;
};

/// By field. A field without a value cannot have one yet.
using Values = std::map<std::string, Value>;

/// What is known of a unit when its values are made; what is left out, and what depends on it, gets no value.
struct Inputs {
  std::map<std::string, std::string> known;                          ///< values that it has already
  std::map<std::string, std::string> given;                          ///< typed or scanned
  std::function<std::optional<Bytes>(const std::string&)> uniqueId;  ///< of a memory
  std::function<Bytes(std::size_t)> random;                          ///< so many bytes
  std::function<Bytes(std::size_t)> secretRandom;  ///< of secret fields: only for a unit that is written
  std::chrono::sys_days today{};
};

/// Random bytes of the system, as a key needs them.
Bytes randomBytes(std::size_t count);

/// Makes the values of units from a definition, with the files that it names.
class ValueMaker {
 public:
  /// Reads lists and secrets, whose paths start at `folder`. Throws BadFile.
  ValueMaker(Definition definition, const std::filesystem::path& folder);

  const Definition& definition() const { return definition_; }
  /// So many units can have values; nothing: there is no end.
  std::optional<std::uint64_t> capacity() const;
  /// Why no more: "serial ends at 1999".
  std::string limitWords() const;
  /// The values of the unit `index`, counted from 0. Throws Usage for a value that is none or too wide, and for one
  /// that was given and does not fit its pattern.
  Values make(std::uint64_t index, const Inputs& inputs) const;
  /// The fields that have none in `values`.
  std::vector<std::string> missingIn(const Values& values) const;
  /// What has to be given by hand.
  std::vector<std::string> givenFields() const;

 private:
  friend class OneUnit;
  Definition definition_;
  std::map<std::string, std::vector<std::string>> lists_;  ///< by field
  std::map<std::string, Bytes> secrets_;                   ///< by field
};

}  // namespace imprimo::units
