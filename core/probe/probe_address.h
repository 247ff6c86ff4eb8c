// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

namespace imprimo::probe {

/// "tcp:HOST:PORT"; an IPv6 host stands in brackets.
struct TcpAddress {
  std::string host;
  std::uint16_t port = 0;
  std::string text() const;
};

/// Throws Usage saying how an address is written.
TcpAddress parseProbeAddress(const std::string& text);

}  // namespace imprimo::probe
