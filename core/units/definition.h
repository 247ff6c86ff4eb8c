// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/bytes.h"

namespace imprimo::units {

/// How a value stands in its bytes, and how it is written for people.
enum class Form {
  Integer,  ///< binary, in the field's byte order; up to 8 bytes
  Decimal,  ///< its digits as text, with zeros in front to fill the field
  Hex,      ///< the same with hexadecimal digits
  Mac,      ///< 6 bytes, the first that goes over the wire first; written 02:AA:BB:00:00:10
  Uuid,     ///< 16 bytes as RFC 4122 has them, the highest first
  Text,     ///< filled up behind it
  Bytes,    ///< as they are; written in digits
};

/// Where the values of a field come from.
struct Source {
  enum Kind { Count, Random, Derived, List, Text, UniqueId, Given, Date, Checksum } kind = Count;
  std::uint64_t first = 0, last = 0, step = 1;  ///< Count; `last` is included
  bool hexadecimal = false;                     ///< Count: as the sheet writes it
  std::string file;                             ///< List, Derived: a CSV file, a file with the secret
  std::string column;                           ///< List
  std::string text;                             ///< Text: with {field}; Given: the pattern; Date: like "%Y-%m-%d"
  std::string of;                               ///< Derived: the field whose value goes in
  std::string sum;                              ///< Checksum: its name
  std::vector<std::string> over;                ///< Checksum: fields, in this order
};

/// One value that each unit gets.
struct Field {
  std::string name;
  std::string memory;  ///< empty: a configuration word
  std::uint64_t at = 0;
  std::uint32_t bytes = 0;
  std::string core, word, wordField;  ///< of a configuration word; `wordField` empty: the whole word
  Form form = Form::Integer;
  bool lowFirst = true;
  std::uint8_t fill = 0;  ///< Text
  bool secret = false;
  Source source;

  AddressRange range() const { return {at, at + bytes}; }
};

/// What a sheet says of the numbers of its units (docs/formats/units.md).
struct Definition {
  std::string ledger;
  std::vector<Field> fields;
  std::optional<std::uint64_t> limit;  ///< no more units than these
  std::string until;                   ///< the last day, "2026-12-31", in UTC; empty: no end

  /// Null where there is none of that name.
  const Field* field(const std::string& name) const;
};

/// The fields as JSON text, alike for definitions that mean the same: what a ledger is fixed by.
std::string fieldsText(const Definition& definition);
/// What differs between two such texts, in words; empty where nothing does.
std::vector<std::string> differencesOf(const std::string& there, const std::string& here);

const char* nameOf(Form form);
std::optional<Form> formNamed(const std::string& name);

}  // namespace imprimo::units
