// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "core/discover/chain_split.h"
#include "core/jtag/examine.h"
#include "core/sheet/sheet.h"

namespace imprimo::discover {

/// A device's instruction length, as far as it is known.
struct KnownLength {
  std::uint32_t bits = 0;
  bool assumed = false;  ///< it fits the chain's sum, and others would too
  bool placed = true;    ///< where it is among the bits of all registers is certain: the device can be addressed
};

/// A length for each device of a chain, such that they make up what its registers captured, or where that is not known
/// its sum. `told`: what is known of each, from TDI. The others can then be passed by.
std::vector<KnownLength> lengthsFor(const jtag::FoundChain& chain, const std::vector<ToldRegister>& told);
/// What a sheet tells of its devices: descriptions, and lengths that are no guesses.
std::vector<ToldRegister> toldBy(const sheet::Sheet& sheet);

/// A sheet for what was found, without a place of its own: each device has the description `files` has for it (empty:
/// none), or a length that fits. Names come from the descriptions. Throws BadFile for a description that is wrong.
sheet::Sheet sheetForBoard(const jtag::FoundChain& chain, const std::vector<std::filesystem::path>& files);

/// Why a device cannot be of this instruction length, with its bounds and the chain's sum in mind; empty: it can.
/// `lengths`: of all devices in the sheet; those that are `assumed` may be others too.
std::string whyNotLength(const jtag::FoundChain& chain, const std::vector<KnownLength>& lengths, std::size_t position,
                         std::uint32_t bits);

}  // namespace imprimo::discover
