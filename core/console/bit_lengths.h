// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/base/bytes.h"

namespace imprimo::console {

/// The shortest time that a line was low, in bits of a receiver of 8N1 that is faster than the sender: 1 to 8, from the
/// zeros with which what it takes for bytes begin. Nothing where it was low for longer than that each time, or nothing
/// came: then the receiver is too fast.
std::optional<unsigned> shortestLow(ByteSpan received);

}  // namespace imprimo::console
