// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/console/itm_ports.h"
#include "core/console/serial_settings.h"

namespace imprimo::sheet {

/// How trace is to come by SWO.
struct SwoWish {
  bool manchester = false;
  std::uint32_t rate = 0;   ///< bits a second at most; 0: as is usual
  std::uint32_t clock = 0;  ///< of trace, in Hz; 0: as the card says, or found
  console::ItmPorts ports{};
  friend bool operator==(const SwoWish&, const SwoWish&) = default;
};

/// What a core is expected to say after it was started, and through what it speaks.
struct CoreSpeech {
  /// "ring", "itm", "semihosting", "serial" or "serial:PORT".
  std::vector<std::string> sources{"ring"};
  std::string waitFor;  ///< empty: nothing is waited for
  double seconds = 10;  ///< at most
  SwoWish swo{};
  console::SerialSettings serial{};
  friend bool operator==(const CoreSpeech&, const CoreSpeech&) = default;
};

/// The port that a source names: empty where it leaves it open. Nothing where it is no serial port.
std::optional<std::string> serialPortOf(const std::string& source);
/// Whether there is a source of that name.
bool isConsoleSource(const std::string& source);

}  // namespace imprimo::sheet
