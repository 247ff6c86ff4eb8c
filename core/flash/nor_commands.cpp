// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/nor_commands.h"

#include <fmt/format.h>

namespace imprimo::flash {

std::string FlashId::text() const {
  return fmt::format("0x{:06x}", value());
}

void setReach(memory::Geometry& geometry, FourByteEntry way) {
  geometry.reachable = way == FourByteEntry::Unknown ? kThreeByteReach : memory::Geometry().reachable;
}

void checkDescription(memory::Geometry& geometry, NorCommands& commands, const std::string& source) {
  std::vector<EraseCommand> sorted;
  for (const std::size_t before : memory::checkGeometry(geometry, source)) sorted.push_back(commands.erase.at(before));
  commands.erase = std::move(sorted);
  setReach(geometry, commands.fourByte);
}

}  // namespace imprimo::flash
