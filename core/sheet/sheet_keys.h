// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <set>
#include <span>
#include <string>
#include <string_view>

namespace imprimo::sheet {

/// What a key's value is, for those who let it be typed.
enum class ValueKind {
  Text,         ///< `choices`, where there are any, are only proposed
  Name,         ///< unique in its list; others refer to it
  Device,       ///< the name of a device of the chain
  Memory,       ///< of a memory
  Core,         ///< of a core
  Port,         ///< a port of the device that stands beside it
  Instruction,  ///< an instruction of that device
  Region,       ///< of the core that stands beside it
  Address,      ///< also a code: "0x…" as a text
  Number,       ///< a whole number, as one
  Real,
  Level,  ///< 0 or 1
  Flag,
  Choice,  ///< one of `choices`
  File,    ///< a path from the sheet's folder
  Bytes,   ///< in digits
  Words,   ///< a list of texts
  Levels,  ///< an object of ports and their levels
  Object,  ///< with the keys of `inside`
  List,    ///< of objects with these keys
  Kept,    ///< the program's own: shown and not typed
};

/// One key of the sheet. The table is the only place that lists them: the reader takes what it knows from here, and the
/// window what can be typed.
struct KeyRow {
  const char* key;
  ValueKind kind;
  const char* words;  ///< what it is, for people
  bool needed = false;
  std::span<const char* const> choices{};
  const KeyRow* rows = nullptr;
  std::size_t count = 0;

  std::span<const KeyRow> inside() const { return {rows, count}; }
};

/// The keys of the sheet itself.
std::span<const KeyRow> sheetKeys();

/// The keys of an object: "" is the sheet, "memories[].route" the route of a memory. Throws std::invalid_argument.
std::span<const KeyRow> keysAt(std::string_view place);
/// Their names.
std::set<std::string> keyNames(std::string_view place);

}  // namespace imprimo::sheet
