// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo::bsdl {

/// Bits of which some are "X", do not matter. `mask` has 1 where a bit matters; bits under a 0 of the mask are 0.
struct Pattern {
  std::uint32_t value = 0;
  std::uint32_t mask = 0;
  bool matches(std::uint32_t code) const { return (code & mask) == value; }
  friend bool operator==(const Pattern&, const Pattern&) = default;
};

struct Instruction {
  std::string name;                  ///< as in the file
  std::vector<std::string> opcodes;  ///< most significant bit first, the last one goes first; '0', '1', 'X'
  bool isPrivate = false;            ///< INSTRUCTION_PRIVATE: only for those who know what it does
};

/// A test data register and the instructions that select it (REGISTER_ACCESS).
struct RegisterAccess {
  std::string name;
  std::optional<std::uint32_t> length;  ///< stated for registers that the standard does not know
  std::vector<std::string> instructions;
};

struct Port {
  std::string name;
  std::string mode;                          ///< in, out, inout, buffer, linkage
  std::optional<std::pair<int, int>> range;  ///< of a bit_vector, left and right bound as written
};

/// An attribute with its whole value: strings joined, anything else as written. What is not interpreted here can be
/// read from these.
struct Attribute {
  std::string name;    ///< upper case
  std::string target;  ///< upper case: the entity or the signal
  std::string value;
};

/// What a BSDL file says of a part (IEEE 1149.1-2013 annex B).
struct BoundaryDescription {
  std::string entity;
  std::uint32_t instructionLength = 0;
  std::vector<Instruction> instructions;
  std::string instructionCapture;  ///< most significant bit first, with X
  std::vector<Pattern> idcodes;    ///< empty: the part has no IDCODE
  std::vector<Pattern> usercodes;
  std::uint32_t boundaryLength = 0;
  std::vector<RegisterAccess> registers;
  std::vector<Port> ports;
  std::vector<Attribute> attributes;

  /// Case does not matter. Null when there is none of that name.
  const Instruction* instruction(std::string_view name) const;
  /// The first opcode, in wire order (X as 0). BYPASS is all ones even where the file does not list it.
  std::optional<BitVector> opcode(std::string_view instructionName) const;
  bool matchesIdcode(std::uint32_t idcode) const;
};

/// Throws BadFile "NAME:LINE:COLUMN: ...".
BoundaryDescription parse(std::string_view text, const std::string& name);
BoundaryDescription parseFile(const std::filesystem::path& path);

}  // namespace imprimo::bsdl
