// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/probe/byte_stream.h"

namespace imprimo::probe {

/// One channel ('A' to 'D') of a high-speed USB serial chip, switched to its serial engine. Throws NoProbe.
std::unique_ptr<ByteStream> openFtdiStream(int bus, int device, char channel, const std::string& name);

}  // namespace imprimo::probe
