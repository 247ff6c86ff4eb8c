// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/memory/geometry.h"

namespace imprimo {

/// Blocks cover the part without gaps, and each address finds its own.
inline void useGeometry(const memory::Geometry& g) {
  for (std::uint64_t at = 0, n = 0; at < g.size && n < 64; ++n) {
    const AddressRange block = g.blockAt(at);
    if (block.begin != at || g.block(g.blockIndex(at)) != block) __builtin_trap();
    at = block.end;
  }
}

}  // namespace imprimo
