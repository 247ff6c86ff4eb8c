// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"
#include "core/spi/spi_batch.h"

namespace imprimo::flash {

/// What a flash says of itself in a few bytes: its ID and the header of its parameter table. Sends nothing but reads.
Bytes readSignature(spi::SpiPort& port);

/// How many of `times` reads of the signature are as `expected`. What the route throws counts as a read that is not,
/// but for a lost link.
int equalSignatures(spi::SpiPort& port, const Bytes& expected, int times);

}  // namespace imprimo::flash
