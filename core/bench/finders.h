// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/device_config.h"
#include "core/flash/spi_nor_identity.h"

namespace imprimo::bench {

/// Where descriptions are looked for that the sheet does not name.
struct Finders {
  flash::CardFinder card;       ///< of memories that neither the sheet nor they themselves describe
  ConfigCardFinder configCard;  ///< of devices that the sheet names no configuration card for
};

}  // namespace imprimo::bench
