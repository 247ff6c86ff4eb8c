// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

#include "core/bsdl/boundary_description.h"

namespace imprimo::jtag {

/// The fields of an IDCODE (IEEE 1149.1-2013 12.1.1).
struct IdcodeFields {
  std::uint8_t version = 0;      ///< bits 31 to 28
  std::uint16_t partNumber = 0;  ///< bits 27 to 12
  std::uint8_t makerBank = 0;    ///< JEP106 bank, 1 is the first
  std::uint8_t makerCode = 0;    ///< JEP106 code without its parity bit
};
IdcodeFields fieldsOf(std::uint32_t idcode);

/// "version 1, device 0xF40A, maker 0x7E of bank 16".
std::string fieldsText(std::uint32_t idcode);

/// Which fields of a code do not fit a pattern.
struct FieldDifference {
  bool version = false, partNumber = false, maker = false;
  bool any() const { return version || partNumber || maker; }
  std::string text() const;  ///< "version and part number differ"; empty for none
};
FieldDifference difference(const bsdl::Pattern& expected, std::uint32_t found);

}  // namespace imprimo::jtag
