// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>

#include "core/bench/device_config.h"
#include "core/console/serial_settings.h"
#include "core/console/source.h"
#include "core/flash/spi_nor_identity.h"

namespace imprimo::bench {

/// Opens a serial port of this computer; the likely one where `port` is empty. Throws Refused.
using OpenSerial =
    std::function<std::unique_ptr<console::Source>(const std::string& port, const console::SerialSettings& settings)>;

/// Where descriptions are looked for that the sheet does not name.
struct Finders {
  flash::CardFinder card;       ///< of memories that neither the sheet nor they themselves describe
  ConfigCardFinder configCard;  ///< of devices that the sheet names no configuration card for
  OpenSerial serial{};          ///< empty: there are none
};

}  // namespace imprimo::bench
