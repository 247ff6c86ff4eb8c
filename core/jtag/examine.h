// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/bsdl/boundary_description.h"
#include "core/jtag/instruction_lengths.h"
#include "core/jtag/jtag_port.h"

namespace imprimo::jtag {

struct FoundPart {
  std::optional<std::uint32_t> idcode;  ///< nothing: it answered with BYPASS after the reset
  LengthBounds irLength;
  std::string name;  ///< the description's entity; empty without one
};

/// What answers on a chain. Position 1, next to TDI, is parts[0].
struct FoundChain {
  std::vector<FoundPart> parts;
  std::uint32_t irTotal = 0;
  BitVector irCapture;  ///< what Capture-IR left, in wire order
};

/// Finds a description for an IDCODE, null when there is none.
using Describe = std::function<const bsdl::BoundaryDescription*(std::uint32_t idcode)>;

/// Finds out what is on a chain of up to 255 parts with up to 4096 instruction bits, without knowing anything of it.
/// Only all ones ever pass Update-IR. Leaves all parts in BYPASS and Run-Test/Idle. Throws BrokenChain saying what TDO
/// does and what that means.
FoundChain examine(JtagPort& port, const Describe& describe);

}  // namespace imprimo::jtag
