// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo::bsdl {

/// What a field of a flow stands for. Bits are in wire order: hexadecimal digits are written most significant first,
/// their last digit goes first.
struct IscValue {
  enum class Kind {
    Digits,    ///< `bits`
    Input,     ///< "?": the next bits of the data file
    Output,    ///< "!": goes to the file that is read into
    Variable,  ///< "$name", after `operation` with `bits` or another variable was done to it
  };
  enum class Operation { None, Set, Add, Subtract, ShiftLeft, ShiftRight, And, Or, Invert };
  Kind kind = Kind::Digits;
  BitVector bits;
  std::string variable;  ///< upper case
  Operation operation = Operation::None;
  std::string operand;        ///< a variable's name instead of `bits`, upper case
  bool setFromInput = false;  ///< "$name = ?"
};

/// Bits of one data scan: on their way in, or as they are expected to come out.
struct IscField {
  std::uint32_t length = 0;
  IscValue value;
  std::optional<IscValue> mask;  ///< "*": only these bits of a captured field are compared
  bool crc = false;              ///< ":CRC": the captured bits go into the check sum of this data
  bool output = false;           ///< ":OST" or "!": the captured bits go to the output
  bool anything = false;         ///< no value is expected: the bits only go where CRC or OST says
};

/// "(ISC_PROGRAM 128:? WAIT TCK 3, 2.0e-3 8:01*01)": an instruction, a data scan with what goes in, a wait in
/// Run-Test/Idle, a data scan with what comes out.
struct IscActivity {
  std::string instruction;         ///< as INSTRUCTION_OPCODE has it
  std::vector<IscField> updates;   ///< the first one ends up next to TDI
  std::uint32_t clocks = 0;        ///< of TCK, at least
  double seconds = 0;              ///< at least
  std::vector<IscField> captures;  ///< the first one is next to TDI
};

/// A run of activities; one with `tries` is repeated until all its comparisons agree, at most so many times and no
/// fewer than `least`.
struct IscElement {
  std::vector<IscActivity> activities;
  std::uint32_t tries = 0;  ///< 0: once, and what is compared has to agree
  std::uint32_t least = 1;
};

struct IscBlock {
  std::uint32_t times = 1;  ///< REPEAT
  std::vector<IscElement> elements;
};

/// Something that can be named with data in brackets: "flow_program(array)".
struct IscName {
  std::string name;  ///< as in the file
  std::string data;  ///< empty without brackets
  std::string text() const { return data.empty() ? name : name + "(" + data + ")"; }
};

struct IscFlow {
  IscName name;
  bool exitOnError = false;
  std::vector<IscBlock> blocks;  ///< INITIALIZE, then REPEATs
  std::vector<IscBlock> last;    ///< TERMINATE: done also behind a comparison that failed
  bool takesInput() const;       ///< any "?"
  bool writesInput() const;      ///< "?" on its way into the device
  bool givesOutput() const;      ///< any "!" or OST
  /// Something that the device holds: the standard names those instructions ISC_ERASE… and ISC_PROGRAM….
  bool changes() const;
};

struct IscProcedure {
  IscName name;
  std::vector<IscName> flows;
};

struct IscAction {
  struct Use {
    enum class Need { Mandatory, Recommended, Optional };
    IscName procedure;
    Need need = Need::Mandatory;
  };
  IscName name;
  std::vector<Use> procedures;
};

/// One bit or range of the security register: ISC_DISABLE_READ 5, ISC_DISABLE_KEY 0-1.
struct IscSecurity {
  std::string name;  ///< upper case
  std::uint32_t low = 0, high = 0;
};

/// The ISC_ attributes of a device that can be configured as IEEE 1532 has it.
struct IscDescription {
  std::string conformance;                 ///< STD_1532_2001, STD_1532_2002
  std::string pinBehavior;                 ///< HIGHZ, CLAMP
  std::vector<std::string> fixedPins;      ///< ISC_FIXED_SYSTEM_PINS
  bool statusImplemented = false;          ///< ISC_STATUS
  std::optional<BitVector> blankUsercode;  ///< 32 bits, wire order; X as 1
  std::vector<IscSecurity> security;
  std::vector<IscFlow> flows;
  std::vector<IscProcedure> procedures;
  std::vector<IscAction> actions;
  std::vector<std::string> illegalExits;  ///< instructions that must not be left half done
  std::string designWarning;

  /// Case does not matter; `data` is part of the name. Null when there is none.
  const IscFlow* flow(const IscName& name) const;
  const IscProcedure* procedure(const IscName& name) const;
  const IscAction* action(std::string_view name, std::string_view data = {}) const;
};

}  // namespace imprimo::bsdl
