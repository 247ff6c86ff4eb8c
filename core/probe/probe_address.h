// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/base/socket.h"

namespace imprimo::probe {

/// Where a probe is: "tcp:HOST:PORT" (probe over TCP), "mpsse-tcp:HOST:PORT" (an adapter's byte stream),
/// "usb:SERIAL[/CHANNEL]" or "usb:@PORT[/CHANNEL]" for one without a serial number, by where it is plugged in (1-4.2).
struct ProbeAddress {
  std::string scheme;  ///< "usb", or that of a driver
  HostPort place;      ///< on the network
  std::string usb;     ///< serial number, or "@" and the port
  bool onUsb() const { return scheme == "usb"; }
  std::optional<char> channel;
  std::string text() const;
};

/// Throws Usage saying how an address is written.
ProbeAddress parseProbeAddress(const std::string& text);

}  // namespace imprimo::probe
