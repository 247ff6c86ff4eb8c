// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bit_vector.h"
#include "core/bsdl/isc.h"

namespace imprimo::bsdl {

/// Bits of which some are "X", do not matter. `mask` has 1 where a bit matters; bits under a 0 of the mask are 0.
struct Pattern {
  std::uint32_t value = 0;
  std::uint32_t mask = 0;
  bool matches(std::uint32_t code) const { return (code & mask) == value; }
  /// Device number and maker code (bits 27 to 1) are all X: such a pattern tells no device from another.
  bool saysNothing() const { return (mask & 0x0FFFFFFE) == 0; }
  friend bool operator==(const Pattern&, const Pattern&) = default;
};

/// Which form of IEEE 1149.1 a file is written to, by the standard package that it uses.
enum class Edition { Unknown, Of1990, Of1994, Of2001, Of2013 };

struct Instruction {
  std::string name;                  ///< as in the file
  std::vector<std::string> opcodes;  ///< most significant bit first, the last one goes first; '0', '1', 'X'
  bool isPrivate = false;            ///< INSTRUCTION_PRIVATE: only for those who know what it does
  friend bool operator==(const Instruction&, const Instruction&) = default;
};

/// A test data register and the instructions that select it (REGISTER_ACCESS).
struct RegisterAccess {
  struct Use {
    std::string instruction;
    std::string captures;  ///< what Capture-DR leaves, most significant bit first; empty where the file does not say
    friend bool operator==(const Use&, const Use&) = default;
  };
  std::string name;
  std::optional<std::uint32_t> length;  ///< stated for registers that the standard does not know
  std::vector<Use> uses;
  friend bool operator==(const RegisterAccess&, const RegisterAccess&) = default;
};

struct Port {
  std::string name;
  std::string mode;                          ///< in, out, inout, buffer, linkage, or one of 2013's, in lower case
  std::optional<std::pair<int, int>> range;  ///< of a bit_vector, left and right bound as written
  std::size_t width() const;
};

/// One pin map: which pins of a package each port is on.
struct PinMap {
  struct Entry {
    std::string port;
    std::vector<std::string> pins;  ///< for a vector in the order of its range
  };
  std::string name;
  std::vector<Entry> entries;
};

/// PORT_GROUPING: the two ports of differential pairs, representative first.
struct PortPair {
  bool current = false;  ///< Differential_Current, otherwise Differential_Voltage
  std::string representative, associated;
};

/// COMPLIANCE_PATTERNS: the device follows the standard only while `ports` hold one of `patterns`.
struct Compliance {
  std::vector<std::string> ports;
  std::vector<std::string> patterns;  ///< '0', '1', 'X' for each port
};

enum class CellFunction { Input, Output2, Output3, Control, ControlR, Internal, Clock, BiDir, ObserveOnly };
const char* nameOf(CellFunction function);

/// One line of the boundary register. A number can have two lines, for a cell with two functions.
struct Cell {
  struct Disable {
    std::uint32_t control = 0;  ///< the cell that disables this one's driver
    char value = '0';           ///< when it holds this
    std::string result;         ///< upper case: Z, WEAK0, PULL1, KEEPER and so on
    friend bool operator==(const Disable&, const Disable&) = default;
  };
  std::uint32_t number = 0;  ///< 0 is next to TDO
  std::string type;          ///< BC_1 and so on
  std::string port;          ///< "IO(12)" for an element of a vector; empty for a cell without a port
  CellFunction function = CellFunction::Internal;
  char safe = 'X';  ///< '0', '1' or 'X'
  std::optional<Disable> disable;
  std::string whenOpen;  ///< 2013: what an input reads when nothing drives it, upper case
  friend bool operator==(const Cell&, const Cell&) = default;
};

/// A piece of a boundary register that is put together from pieces (BOUNDARY_SEGMENT, 1149.1-2013).
struct BoundarySegment {
  std::string name;
  std::uint32_t length = 0;
  std::vector<Cell> cells;  ///< numbered within the segment; in the order of the file
};

/// A kind of boundary cell that a user package describes (CELL_INFO).
struct CellType {
  struct Capture {
    std::string function, instruction, captures;  ///< upper case: OUTPUT2, EXTEST, PI
  };
  std::string name;
  std::vector<Capture> captures;
};

/// A field of a register (REGISTER_FIELDS, 1149.1-2013).
struct RegisterField {
  std::string name;
  std::uint32_t length = 0;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> bits;  ///< ranges as written, first bound the more significant
  std::vector<std::pair<std::string, std::string>> options;   ///< RESETVAL, SAFE, DEFAULT ... and what is in brackets
};
struct RegisterFields {
  std::string name;
  std::uint32_t length = 0;
  std::vector<RegisterField> fields;
};

/// Names for values of fields (REGISTER_MNEMONICS, 1149.1-2013).
struct MnemonicGroup {
  struct Mnemonic {
    std::string name, pattern, note;  ///< pattern as written: "0b01X", "0xF", "OTHERS"
  };
  std::string name;
  std::vector<Mnemonic> mnemonics;
};

/// Which ports take their supply from a power port (POWER_PORT_ASSOCIATION, 1149.1-2013).
struct PowerAssociation {
  std::string power;
  std::vector<std::string> ports;
};

/// The TAP's pins (TAP_SCAN_IN and so on).
struct TapPins {
  std::string in, out, mode, clock, reset;
  double highestClock = 0;        ///< Hz, of TAP_SCAN_CLOCK; 0 where the file does not say
  bool clockStopsHighToo = true;  ///< BOTH; LOW: TCK may only rest at 0
};

/// An attribute with its whole value: strings joined, anything else as written. What is not interpreted here (IEEE
/// 1149.6, IEEE 1532, makers' own) can be read from these.
struct Attribute {
  std::string name;    ///< upper case
  std::string target;  ///< upper case: the entity or the signal
  std::string value;
};

/// What a BSDL file says of a device (IEEE 1149.1-2013 annex B, and the forms of 1990, 1994 and 2001).
struct BoundaryDescription {
  std::string entity;
  Edition edition = Edition::Unknown;
  std::string conformance;    ///< COMPONENT_CONFORMANCE, as in the file
  std::string packageChoice;  ///< the default of the generic that chooses a pin map; empty: none
  std::vector<Port> ports;
  std::vector<PinMap> pinMaps;
  std::vector<PortPair> portPairs;
  std::vector<Compliance> compliance;
  TapPins tap;

  std::uint32_t instructionLength = 0;
  std::vector<Instruction> instructions;
  std::string instructionCapture;  ///< most significant bit first, with X
  std::vector<Pattern> idcodes;    ///< empty: the device has no IDCODE
  std::vector<Pattern> usercodes;
  std::vector<RegisterAccess> registers;

  std::uint32_t boundaryLength = 0;  ///< of an assembled register: behind a reset
  std::vector<Cell> cells;           ///< in the order of the file
  std::vector<BoundarySegment> segments;
  std::optional<std::uint32_t> wholeBoundaryLength;  ///< of an assembled register, with all of its segments
  std::string boundaryProblem;  ///< "NAME:LINE:COLUMN: ...": why no cells are known, though the file lists some
  std::vector<CellType> cellTypes;

  std::vector<RegisterFields> fields;
  std::vector<MnemonicGroup> mnemonics;
  std::vector<PowerAssociation> powerPorts;

  std::optional<IscDescription> isc;  ///< how the device is configured, where the file says it as IEEE 1532 has it
  std::string iscProblem;             ///< "NAME:LINE:COLUMN: ...": why it cannot be, though there are ISC_ attributes

  std::string designWarning;
  std::vector<Attribute> attributes;  ///< all but the boundary register, in the order of the file
  std::vector<std::string> warnings;  ///< "NAME:LINE:COLUMN: ...": what could not be understood and does not hinder

  /// Case does not matter. Null when there is none of that name.
  const Instruction* instruction(std::string_view name) const;
  const Port* port(std::string_view name) const;
  /// The first opcode, in wire order (X as 0). BYPASS is all ones even where the file does not list it.
  std::optional<BitVector> opcode(std::string_view instructionName) const;
  bool matchesIdcode(std::uint32_t idcode) const;
  /// The same in all that goes over the TAP: only names, pins and packages may differ.
  bool worksLike(const BoundaryDescription& other) const;
};

/// The text of a package that a file uses, nothing where it is not to be had.
using PackageText = std::function<std::optional<std::string>(const std::string& package)>;

/// Throws BadFile "NAME:LINE:COLUMN: ...".
BoundaryDescription parse(std::string_view text, const std::string& name, const PackageText& packages = {});
/// Packages of the user are looked for beside the file: PACKAGE.bsd, .bsdl, .vhd or .txt, in any case of letters.
BoundaryDescription parseFile(const std::filesystem::path& path);

}  // namespace imprimo::bsdl
