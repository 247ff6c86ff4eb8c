// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace imprimo::debug {

/// A part of a chip's debug system as its own registers identify it (IHI 0031, D2: PIDR and CIDR).
struct DebugPart {
  std::uint32_t at = 0;
  unsigned kind = 0;   ///< the component class: 1 a ROM table, 9 of the debug architecture, 0xE of no class
  unsigned bank = 0;   ///< of the maker's code (JEP106), from 1
  unsigned maker = 0;  ///< without its parity
  unsigned part = 0;   ///< the maker's own number
  unsigned revision = 0;
  unsigned architecture = 0;  ///< DEVARCH's ARCHID; 0 where it does not say
  /// What the architecture calls it: "system control space"; empty where it has no name for it.
  std::string words() const;
  /// Maker and number as TARGETID and TARGETSEL have them (IHI 0031, B2.2.10), without revision and instance.
  std::uint32_t asTarget() const { return part << 12 | (bank - 1) << 8 | maker << 1 | 1; }
};

/// What reading a word of the bus gives; nothing where that is answered by an error.
using ReadWord = std::function<std::optional<std::uint32_t>(std::uint32_t address)>;

/// All that a ROM table and those that it leads to name (IHI 0031, D3), in order; parts that do not identify
/// themselves are left out. A table is entered once, at most 256 parts are looked at. Throws what `word` throws.
std::vector<DebugPart> walkRomTable(std::uint32_t base, const ReadWord& word);
/// The table at `base` alone, which names the chip; nothing where it does not identify itself.
std::optional<DebugPart> romTableAt(std::uint32_t base, const ReadWord& word);

}  // namespace imprimo::debug
