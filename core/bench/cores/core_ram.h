// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/memory_kinds.h"

namespace imprimo::bench {

/// RAM in the address space of a core.
MemoryKind coreRamKind();

}  // namespace imprimo::bench
