// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/memory/geometry.h"
#include "core/memory/registers.h"

namespace imprimo::memory {

struct Identity;

/// What one kind of memory knows of itself beside an Identity. Only the code of that kind looks into it, by
/// dynamic_cast; everybody else asks for its words.
class Details {
 public:
  virtual ~Details() = default;
  /// What describes the memory without asking it, as JSON text for a file or a sheet's last_seen; with `indent` for
  /// people to read. Empty where a description is all there is, and the part adds nothing.
  virtual std::string card(const std::string& name, bool indent) const = 0;
  /// As the command line answers it (spec: `identify --json`), with its own tables where `tables` says so.
  virtual nlohmann::ordered_json json(const Identity& identity, bool tables) const = 0;
  /// The same for people, in lines.
  virtual std::string text(const std::string& name, const Identity& identity, bool tables) const = 0;
};

/// Something that speaks for the link to a memory, or against it.
struct Evidence {
  std::string what, found;
  bool good = true;
};

/// Who a memory says it is, and how it is described.
struct Identity {
  std::string id;     ///< what it answers: "0x7e4017"
  unsigned bank = 1;  ///< of the maker's number in it (JEP106)
  Geometry geometry;
  Bytes uniqueId;           ///< a number that no other one has; empty where it has none
  std::string source;       ///< what describes it, as it stands in JSON: "sfdp", "card"
  std::string describedBy;  ///< the same for people: "its parameter table"
  std::vector<Evidence> evidence;
  std::vector<Register> registers;
  std::optional<Protection> protection;
  std::vector<std::string> remarks;  ///< what a person should know: woken up, table and card disagree, …
  std::shared_ptr<const Details> details;

  /// Whether nothing tells the two apart.
  bool samePart(const Identity& other) const {
    return id == other.id && bank == other.bank && geometry == other.geometry && uniqueId == other.uniqueId;
  }
};

}  // namespace imprimo::memory
