// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>

#include "core/base/json_text.h"
#include "sim/fabric.h"
#include "sim/isc_cells.h"

namespace imprimo::sim {

/// "fabric-clear", "isc-program" and so on, as an instruction's register; nothing for another word.
std::optional<Role> roleNamed(const std::string& name);

/// What a device's "fabric" and "isc" say; flashes are looked up by name when the logic is made.
struct LogicEntry {
  std::optional<FabricModel> fabric;
  std::string flash;
  std::optional<IscModel> isc;
  std::optional<std::size_t> core = {};  ///< the number on the board of the core whose debug port the device is
};
LogicEntry readLogic(const JsonNode& device, const std::string& name, std::uint32_t idcode);

}  // namespace imprimo::sim
