// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/base/error.h"
#include "core/bsdl/boundary_description.h"
#include "core/bsdl/cursor.h"

namespace imprimo::bsdl {

/// An attribute as it was found, before anybody looked into its strings.
struct RawAttribute {
  std::string name, target;  ///< upper case
  JoinedText joined;
  std::string plain;       ///< what stood there besides strings
  std::size_t offset = 0;  ///< of its name
  std::string value() const { return joined.empty() ? plain : joined.text(); }
};

struct RawConstant {
  std::string name;
  std::string type;  ///< upper case
  JoinedText joined;
  std::vector<Token> tokens;  ///< of the value, where it is no string
};

/// What a file was found to hold, and the description that grows out of it.
struct Reading {
  const Source& source;
  BoundaryDescription device;
  std::vector<RawAttribute> attributes;
  std::vector<RawConstant> constants;
  bool packageMissing = false;  ///< one that the file uses was not to be had
  std::size_t end = 0;          ///< offset of the entity's end

  const RawAttribute* find(std::string_view name) const;

  /// Carries out `read`; what it throws becomes a warning, because the device can be worked with all the same.
  template <typename Read>
  void tolerating(Read&& read) {
    try {
      read();
    } catch (const Error& e) {
      device.warnings.emplace_back(e.what());
    }
  }
};

// Each looks into the attributes of one kind. In this order: later ones use what earlier ones found. All throw BadFile.
void readInstructions(Reading& reading);
void readPorts(Reading& reading);
void readBoundaryRegister(Reading& reading);
void readFields(Reading& reading);

/// Takes CELL_INFO constants of packages out of `constants` and makes cell types of them.
void readCellTypes(Reading& reading);

/// Bits and X of a pattern without blanks, in upper case. Ends before a comma or a closing bracket.
std::string takePattern(Cursor& cursor);

}  // namespace imprimo::bsdl
