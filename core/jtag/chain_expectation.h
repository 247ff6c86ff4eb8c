// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/bsdl/boundary_description.h"
#include "core/jtag/examine.h"
#include "core/jtag/idcode.h"

namespace imprimo::jtag {

/// A device as a sheet expects it.
struct ExpectedDevice {
  std::string name;                    ///< the sheet's
  std::vector<bsdl::Pattern> idcodes;  ///< any of these; empty: matched by position and instruction length alone
  std::uint32_t irLength = 0;
};

/// One line of the two chains side by side.
struct DeviceComparison {
  std::string expected, found;  ///< "correlator 0x1f40affd, IR 6"; "nothing" where there is none
  bool agrees = false;
  std::optional<bsdl::Pattern> expectedId;  ///< the first of several
  std::optional<std::uint32_t> foundId;
  FieldDifference fields;  ///< where both have an IDCODE and it differs
};

/// Devices in order, one row for each position that either chain has.
std::vector<DeviceComparison> compare(const std::vector<ExpectedDevice>& expected, const FoundChain& found);

/// Throws ChainMismatch with the first difference in a sentence and both chains side by side.
void requireMatch(const std::vector<ExpectedDevice>& expected, const FoundChain& found);

/// The same error, but for a chain that is cut it says between which of the expected devices.
BrokenChain located(const std::vector<ExpectedDevice>& expected, BrokenChain broken);

/// "0x1f40affd", with '?' for digits that do not matter.
std::string patternText(const bsdl::Pattern& pattern);

}  // namespace imprimo::jtag
