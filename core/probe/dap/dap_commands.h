// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/base/bytes.h"

namespace imprimo::probe {

/// How many bytes the first CMSIS-DAP command of `bytes` has, by CMSIS-DAP 2.1; nothing for one that a server need not
/// answer (probe over TCP), and for one that is cut off.
std::optional<std::size_t> dapCommandLength(ByteSpan bytes);

/// Whether a server may hand all of a packet to its probe: each command, also those inside ExecuteCommands and
/// QueueCommands, is one that it must answer.
bool isServed(ByteSpan packet);

}  // namespace imprimo::probe
