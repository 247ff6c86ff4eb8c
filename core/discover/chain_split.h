// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/jtag/examine.h"

namespace imprimo::discover {

/// What is known of a device's instruction register beforehand.
struct ToldRegister {
  std::uint32_t length = 0;  ///< 0: not known
  std::string capture{};     ///< what Capture-IR leaves, most significant bit first, with X; empty: any
};

/// How what Capture-IR left can be the devices' registers, one behind the other.
struct ChainSplit {
  struct Register {
    std::uint32_t length = 0;    ///< of one way that fits
    bool lengthCertain = false;  ///< it is the same in all ways that fit
    bool placeCertain = false;   ///< where it begins and ends is, so that the device can be addressed
  };
  std::vector<Register> registers;  ///< from TDI
};

/// Nothing where no way fits. A register that is not told of begins with 1 and 0 at its TDO end (IEEE 1149.1-2013
/// 7.1.1 d). `told`: from TDI.
std::optional<ChainSplit> splitChain(const BitVector& capture, const std::vector<ToldRegister>& told);

}  // namespace imprimo::discover
