// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/vector_lines.h"

#include <fmt/format.h>

namespace imprimo::flash {

std::vector<std::string> vectorLines(const memory::Geometry& geometry, const NorCommands& commands) {
  std::vector<std::string> lines;
  for (std::size_t i = 0; i < geometry.erase.size(); ++i) {
    lines.push_back(fmt::format("Erase 0x{:02X} 0x{:02X}: {} bytes", commands.erase[i].opcode,
                                commands.erase[i].opcode4, geometry.erase[i].size));
  }
  if (commands.fourByte == FourByteEntry::Always) lines.emplace_back(kAlwaysFour);
  return lines;
}

}  // namespace imprimo::flash
