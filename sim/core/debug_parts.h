// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>

namespace imprimo::sim {

/// What a debugger reads in the parts of the debug system beside the core's own registers: the ROM table of the chip at
/// 0xE00FF000, and who each part says it is (IHI 0031, D2 and D3). Nothing where there is no part. `trace`: the chip
/// has instrumentation trace.
std::optional<std::uint32_t> debugPartWord(std::uint32_t address, bool trace);

}  // namespace imprimo::sim
