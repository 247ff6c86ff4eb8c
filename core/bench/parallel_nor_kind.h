// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/memory_kinds.h"

namespace imprimo::bench {

/// The row of flashes with address and data lines, "parallel-nor".
MemoryKind parallelNorKind();

}  // namespace imprimo::bench
