// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <utility>

#include "core/flash/address_mode.h"
#include "core/flash/sfdp.h"

namespace imprimo::flash {

/// How a part was before anything of it was changed; that is how it is left.
struct FoundModes {
  AddressMode address = AddressMode::Untold;  ///< over 16 MiB, where a command changes it
  std::optional<std::uint8_t> upper;          ///< its register for the upper address byte, where it can be read
  bool writeEnabled = false;
  /// What the register with the quad enable bit held before that was set for as long as the supply lasts.
  std::optional<std::pair<std::string, std::uint8_t>> lines{};
  std::optional<FlashFacts::DeepPowerDown> asleep;  ///< it was in deep power-down, which is left and entered like this
};
/// Reads only. Throws Refused, LinkLost.
FoundModes findModes(spi::SpiPort& port, const memory::Geometry& geometry, FourByteEntry way);

/// As they stand in the note of an unfinished run (docs/formats/unfinished.md, "modes"), and back. Throws BadFile.
std::string modesText(const FoundModes& modes);
FoundModes parseModes(const std::string& json);

}  // namespace imprimo::flash
